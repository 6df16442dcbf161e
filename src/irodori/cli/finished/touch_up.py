"""irodori touch-up: a finished picture given what it lacks."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, takes
from irodori.cli.finished.change import StructureOption
from irodori.cli.output import progress_bar, say, say_json
from irodori.settings.setting import COMING_IN

EXAMPLE = """\b
Examples:
  irodori touch-up landing.png --out better.png
  irodori touch-up landing.png --only relief --only windows --out layers.ora --strip strip.png"""

OnlyOption = Annotated[
    list[str] | None, typer.Option("--only", metavar="NAME", help="noise, windows, relief or foreground; several add up. All, where none is named.")
]  # fmt: skip
StripOption = Annotated[
    str | None, typer.Option("--strip", metavar="FILE", help="Also a strip of before and after with what was done.")
]  # fmt: skip


def add_to(app: typer.Typer) -> None:
    @app.command("touch-up", epilog=EXAMPLE)
    @takes(*COMING_IN, "quality")
    def touch_up_command(
        told: dict,
        picture: Annotated[str, typer.Argument(metavar="PICTURE", help="A rendering or a photo.")],
        only: OnlyOption = None, structure: StructureOption = None,
        old_light: Annotated[str | None, typer.Option("--old-light", metavar="NAME", help="The light that it shows; else that is found out.")] = None,
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="PNG, TIFF, JPEG or WebP; OpenRaster (.ora) or OpenEXR with a layer for each touch.")] = None,
        bits: Annotated[int | None, typer.Option("--bits", metavar="NUMBER", help="8, or 16 for PNG and TIFF.")] = None,
        strip: StripOption = None, as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Touch up a finished picture that is nearly there.

        Noise is taken away; burnt or empty windows show something; flat surfaces get relief; a bare foreground is planted. What needs
        nothing stays as it is.
        """
        from irodori.formats.atomic import check_writable
        from irodori.formats.write_image import check_suffix, write_image
        from irodori.picture.finished import check_pixels
        from irodori.settings.known.going_out import check_bits
        from irodori.study.finished.before_after import before_and_after
        from irodori.study.finished.touch_up import touch_up_job

        target = Path(out or f"{Path(picture).stem}-touched.png")
        check_bits(bits or 8, check_pixels(target, layered=True))
        check_writable(target)
        if strip is not None:
            check_suffix(strip)
            check_writable(strip)
        with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
            job = touch_up_job(picture, told, only=only or (), structure=structure, old_light=old_light, progress=progress)
            done = job.run(progress)
            compiler.finish(progress)
            done.save(target, bits=bits or 8)
        told_of = list(done.recipe.steps[-1].done)
        if strip is not None:
            write_image(strip, before_and_after(done))
        if as_json:
            say_json({"picture": str(target), "size": list(done.size), "done": told_of, "strip": strip})
            return
        for line in told_of or ["nothing was wanting"]:
            say(f"  {line}")
        say(f"wrote {target} ({done.size[0]} × {done.size[1]})" + (f" and {strip}" if strip else ""))
