"""irodori looks: what pictures can be drawn as."""

from __future__ import annotations

from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import job_of, resolved
from irodori.settings.setting import COMING_IN

EXAMPLE = """\b
Examples:
  irodori looks
  irodori looks landing.glb --view landing --light afternoon --out looks.png"""

GROUPS = (*COMING_IN, "dressing", "light", "quality")

SETTINGS = (
    ("strength 0 to 1", "how much of it lies over the photographic picture"), ("looseness 0 to 1", "0 draws every line where it is"),
    ("line weight 0.2 to 4", "factor on the width of lines"), ("colours 1 to 24", "how many a painted look may use"),
    ("ink #rrggbb", "of looks in one ink"), ("paper NAME or #rrggbb", "white, cream, grey, buff, pale blue or black"),
    ("keep WHERE", "what stays photographic: role planting, name kiosk*, sky, building or surroundings"),
)  # fmt: skip


def add_to(app: typer.Typer) -> None:
    @app.command("looks", epilog=EXAMPLE)
    @takes(*GROUPS)
    def looks_command(
        told: dict,
        source: Annotated[str | None, typer.Argument(metavar="[CAPTURE_OR_MODEL]", help="Draw this in every look, on one sheet.")] = None,
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="Where the sheet goes.")] = None,
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """List the looks that pictures can be drawn in, or draw one picture in all of them."""
        from irodori.core.errors import IrodoriError
        from irodori.picture.looks import looks

        if source is None and out is not None:
            raise IrodoriError("Say what to draw in every look: CAPTURE_OR_MODEL before --out")
        if source is not None:
            _draw_all(told, source, out or "looks.png", as_json)
            return
        if as_json:
            say_json({"looks": [{"name": one.name, "about": one.about} for one in looks().values()]})
            return
        for one in looks().values():
            say(f"  {one.name:<20} {one.about}")
        say("")
        say("Settings that follow a look's name, after commas:")
        for name, about in SETTINGS:
            say(f"  {name:<22} {about}")


def _draw_all(told: dict, source: str, out: str, as_json: bool) -> None:
    from irodori.core.errors import OutputError
    from irodori.formats.atomic import check_writable
    from irodori.formats.vector_file import VECTORS
    from irodori.formats.write_image import check_suffix, write_image
    from irodori.picture import render
    from irodori.picture.looks import looks
    from irodori.settings.setting import of_groups
    from irodori.study.contact_sheet import contact_sheet

    if check_suffix(out) in (".exr", *VECTORS):
        raise OutputError(f"A sheet is a picture: end '{out}' with .png, .jpg, .tif or .webp")
    check_writable(out)
    values = resolved(of_groups(*GROUPS), told)
    job = job_of(values, source)
    with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
        capture = job.open(progress)
        compiler.help(progress)
        structure = job.read(capture, progress)
        compiler.finish(progress)
        picture = render(job.dress(structure), job.recipe.quality, progress=progress)
        drawn = []
        for number, name in enumerate(looks()):
            progress("Drawing", number / len(looks()))
            drawn.append((name, picture.as_look(name).developed))
    write_image(out, contact_sheet(drawn, width=1920))
    if as_json:
        say_json({"sheet": out, "looks": [name for name, _ in drawn]})
        return
    say(f"wrote {out}: {len(drawn)} looks")
