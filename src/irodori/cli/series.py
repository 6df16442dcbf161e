"""irodori series: one view through several lights."""

from __future__ import annotations

from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import ExplainOption, JsonOption, LikeOption, SourceArgument, explain, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import job_of, light_word, resolved
from irodori.settings.setting import COMING_IN

EXAMPLE = """\b
Examples:
  irodori series landing.glb --view landing --finishes finishes.csv --out lights
  irodori series landing-shaded.png --light noon --light "dusk, broken cloud" --quality draft"""

GROUPS = (*COMING_IN, "dressing", "quality", "developing")


def add_to(app: typer.Typer) -> None:
    @app.command("series", epilog=EXAMPLE)
    @takes(*GROUPS)
    def series_command(
        told: dict,
        source: SourceArgument,
        light: Annotated[list[str] | None, typer.Option("--light", metavar="NAME", help="A light; give several. Without any, a day from dawn to night.")] = None,
        out: Annotated[str | None, typer.Option("--out", metavar="FOLDER", help="Folder for the pictures and the sheet.")] = None,
        like: LikeOption = None, shown: ExplainOption = False, as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Render one view in several lights, and lay the pictures out on a sheet."""
        from irodori.formats.atomic import make_folder
        from irodori.formats.write_image import write_image
        from irodori.settings.known.dressing import light_at
        from irodori.settings.setting import of_groups
        from irodori.study.contact_sheet import contact_sheet
        from irodori.study.series import DAY, series_of

        values = resolved(of_groups(*GROUPS), told, like)
        job = job_of(values, source, like)
        lights = [light_at(name, values.kept("place")) for name in light or DAY]
        if shown:
            explain([*values.explained(), ("light", ", ".join(lights), "given" if light else "default")], as_json)
            return
        written, pictures = [], []
        with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
            capture = job.open(progress)
            folder = make_folder(out or f"{capture.name}-lights")
            sheet = folder / "sheet.png"
            compiler.help(progress)
            structure = job.read(capture, progress)
            compiler.finish(progress)
            for name, picture in series_of(job, structure, lights, progress=progress):
                written.append(str(picture.save(folder / f"{len(written) + 1:02d}-{light_word(name)}.png")))
                pictures.append((name, picture.developed))
            write_image(sheet, contact_sheet(pictures))
        if as_json:
            say_json({"pictures": written, "lights": [name for name, _ in pictures], "sheet": str(sheet)})
            return
        for path, (name, _) in zip(written, pictures):
            say(f"wrote {path} ({name})")
        say(f"wrote {sheet}")
