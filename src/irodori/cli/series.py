"""irodori series: one view through several lights."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli import source as s
from irodori.cli.output import file_word, progress_bar, say, say_json

EXAMPLE = """\b
Examples:
  irodori series landing.glb --view landing --finishes finishes.csv --out lights
  irodori series landing-shaded.png --light noon --light "dusk, broken cloud" --quality draft"""


def add_to(app: typer.Typer) -> None:
    @app.command("series", epilog=EXAMPLE)
    def series_command(
        source: s.SourceArgument,
        view: s.ViewOption = None,
        finishes: Annotated[str | None, typer.Option("--finishes", metavar="FILE", help="Finish schedule, CSV or TOML.")] = None,
        light: Annotated[list[str] | None, typer.Option("--light", metavar="NAME", help="A light; give several. Without any, a day from dawn to night.")] = None,
        lamps: Annotated[str | None, typer.Option("--lamps", metavar="FILE", help="Lamp schedule, CSV or TOML.")] = None,
        entourage: Annotated[str | None, typer.Option("--entourage", metavar="FILE", help="What to add where, CSV or TOML.")] = None,
        season: Annotated[str, typer.Option("--season", help="spring, summer, autumn or winter, for the planting.")] = "summer",
        quality: Annotated[str, typer.Option("--quality", help="draft, review or final.")] = "review",
        out: Annotated[str | None, typer.Option("--out", metavar="FOLDER", help="Folder for the pictures and the sheet.")] = None,
        seed: Annotated[int, typer.Option("--seed", help="What all chance in the pictures depends on.")] = 7,
        others: s.WithOption = None, views: s.ViewsOption = None, up: s.UpOption = None, unit: s.UnitOption = None,
        north: s.NorthOption = 0.0, width: s.WidthOption = None, height: s.HeightOption = None,
        ground: s.GroundOption = None, kind: s.KindOption = None, as_is: s.AsIsOption = False,
        keep: s.KeepOption = None, remove: s.RemoveOption = None,
        eye_height: s.EyeOption = None, length: s.LengthOption = None, corrections: s.CorrectionsOption = None, rules_only: s.RulesOption = False, as_json: s.JsonOption = False,
    ) -> None:  # fmt: skip
        """Render one view in several lights, and lay the pictures out on a sheet."""
        from irodori.core.errors import OutputError, unknown_name
        from irodori.engine.trace import EFFORTS
        from irodori.formats.atomic import check_writable
        from irodori.formats.write_image import write_image
        from irodori.light import find_setting
        from irodori.structure import read_structure
        from irodori.study import series
        from irodori.study.contact_sheet import contact_sheet
        from irodori.study.series import DAY

        given = s.Source(
            source, view, others or [], views, up, unit, north, width, height, ground, as_is=as_is, keep=keep,
            remove=remove, kind=kind,
        )  # fmt: skip
        given.check()
        if quality not in EFFORTS:
            raise OutputError(unknown_name("quality", quality, EFFORTS))
        for name in light or DAY:
            find_setting(name)
        written, shown = [], []
        with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
            capture = given.open(progress)
            folder = Path(out or f"{capture.name}-lights")
            try:
                folder.mkdir(parents=True, exist_ok=True)
            except OSError as error:
                raise OutputError(f"Cannot write to '{folder}': {error.strerror}") from None
            sheet = folder / "sheet.png"
            check_writable(sheet)
            by_hand = s.corrections_of(capture, corrections, length)
            compiler.help(progress)
            structure = read_structure(
                capture, eye_height=eye_height, corrections=by_hand, learned=not rules_only, progress=progress
            )
            compiler.finish(progress)
            how = {"lamps": lamps, "entourage": entourage, "season": season, "seed": seed, "quality": quality}
            for name, picture in series(structure, finishes, light or DAY, progress=progress, **how):
                written.append(str(picture.save(folder / f"{len(written) + 1:02d}-{file_word(name)}.png")))
                shown.append((name, picture.developed))
            write_image(sheet, contact_sheet(shown))
        if as_json:
            say_json({"pictures": written, "lights": [name for name, _ in shown], "sheet": str(sheet)})
            return
        for path, (name, _) in zip(written, shown):
            say(f"wrote {path} ({name})")
        say(f"wrote {sheet}")
