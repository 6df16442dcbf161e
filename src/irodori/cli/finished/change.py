"""irodori change: part of a finished picture, and nothing else."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.settings.setting import COMING_IN

EXAMPLE = """\b
Examples:
  irodori change landing.png --where "role sky" --light dusk --out other-sky.png
  irodori change landing.png --where "name hall roof" --finish "clay tiles" --out tiled.png
  irodori change landing.png --where "name quay lamp*" --remove --out no-posts.png
  irodori change landing.png --put "rowing boat, at 2,-9" --out boat.png
  irodori change landing.png --mask door.png --brief "a red door" --soft 2 --out red-door.png"""

WhereOption = Annotated[
    list[str] | None, typer.Option("--where", metavar="WHERE", help="What changes: 'role sky', 'name sofa', 'pixel 640,380', …; several add up.")
]  # fmt: skip
MaskOption = Annotated[str | None, typer.Option("--mask", metavar="FILE", help="Only what is painted white here.")]
OutlineOption = Annotated[
    str | None, typer.Option("--outline", metavar="POINTS", help="Only inside a polygon, px: '120,300 480,300 480,620'.")
]  # fmt: skip
GrowOption = Annotated[int, typer.Option("--grow", metavar="PX", help="Grow the part by so many px; below 0, shrink it.")]
SoftOption = Annotated[float, typer.Option("--soft", metavar="PX", help="Let the change fade out over so many px inside its border.")]
FinishOption = Annotated[str | None, typer.Option("--finish", metavar="NAME", help="What the surfaces there are to be made of.")]
RemoveOption = Annotated[bool, typer.Option("--remove", help="What is there goes; what it hid is rebuilt.")]
PutOption = Annotated[
    list[str] | None,
    typer.Option("--put", metavar="WHAT, WHERE", help="Put something there: 'rowing boat, pixel 420,640, facing 90' or '…, at 2,-9'; irodori entourage lists what."),
]  # fmt: skip
ThrownOption = Annotated[
    bool | None,
    typer.Option("--thrown/--no-thrown", help="Change the shadows, reflections and glow that the change throws outside its part, too; usual where something is put or removed."),
]  # fmt: skip
StructureOption = Annotated[
    str | None,
    typer.Option("--structure", metavar="FILE", help="The model (with --view), capture or saved structure that it shows; else that of its recipe, else it is read."),
]  # fmt: skip


def add_to(app: typer.Typer) -> None:
    @app.command("change", epilog=EXAMPLE)
    @takes(*COMING_IN, "dressing", "light", "quality", "output", without=("print size", "proof", "placed"))
    def change_command(
        told: dict,
        picture: Annotated[str, typer.Argument(metavar="PICTURE", help="A rendering or a photo.")],
        where: WhereOption = None, mask: MaskOption = None, outline: OutlineOption = None, grow: GrowOption = 0, soft: SoftOption = 0.0,
        finish: FinishOption = None, remove: RemoveOption = False, put: PutOption = None, thrown: ThrownOption = None,
        structure: StructureOption = None,
        old_light: Annotated[str | None, typer.Option("--old-light", metavar="NAME", help="The light that it shows; else that is found out.")] = None,
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Change part of a finished picture, and nothing else.

        Another finish, another light or sky, something removed or put there, or a brief for that part; outside it no pixel changes, but
        for the light that the change throws.
        """
        from irodori.formats.atomic import check_writable
        from irodori.formats.read_image import read_image
        from irodori.picture.finished import check_pixels
        from irodori.settings.known.going_out import check_bits
        from irodori.study.finished.change import change_job
        from irodori.study.finished.kept import changed_share

        out, bits = told.pop("out"), told.pop("bits") or 8
        target = Path(out or f"{Path(picture).stem}-changed.{(told.pop('format', None) or 'png').lstrip('.')}")
        check_bits(bits, check_pixels(target))
        check_writable(target)
        with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
            job = change_job(
                picture, told, where=where or (), mask=mask, outline=outline or "", grow=grow, soft=soft, finish=finish, remove=remove,
                put=put or (), thrown=thrown, structure=structure, old_light=old_light, progress=progress,
            )  # fmt: skip
            changed = job.run(progress)
            compiler.finish(progress)
            changed.save(target, bits=bits)
        share = changed_share(read_image(Path(picture)).rgb, changed.encoded)
        if as_json:
            say_json({"picture": str(target), "size": list(changed.size), "changed_share": share})
            return
        say(f"wrote {target} ({changed.size[0]} × {changed.size[1]}): {100 * share:.1f} % of its pixels changed, no other")
