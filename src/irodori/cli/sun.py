"""irodori sun: hours of sun on every surface, and where shadows end."""

from __future__ import annotations

from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, SourceArgument, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import job_of, resolved
from irodori.settings.setting import COMING_IN

EXAMPLE = """\b
Examples:
  irodori sun landing.glb --view aerial --place "46.5, 8.1" --on "spring equinox" --out sun
  irodori sun landing.glb --view aerial --place "46.5, 8.1" --on "21 June" --on "21 December" --hours 8-20 --zone 2"""

USUAL = ("spring equinox", "summer solstice", "winter solstice")


def add_to(app: typer.Typer) -> None:
    @app.command("sun", epilog=EXAMPLE)
    @takes(*COMING_IN)
    def sun_command(
        told: dict,
        source: SourceArgument,
        place: Annotated[str, typer.Option("--place", metavar="TEXT", help="Latitude and longitude: '46.5, 8.1'.")],
        on: Annotated[list[str] | None, typer.Option("--on", metavar="DAY", help="A day: 'summer solstice', '21 June' or '2026-06-21'; give several. Without any: equinox and both solstices.")] = None,
        hours: Annotated[str, typer.Option("--hours", metavar="FROM-TO", help="Hours that count.")] = "0-24",
        mark: Annotated[str, typer.Option("--mark", metavar="TEXT", help="Hours at which shadows are outlined.")] = "9, 12, 15",
        zone: Annotated[float | None, typer.Option("--zone", metavar="HOURS", help="Hours are of a clock that many hours east of UTC; without it, of the sun's own mean time.")] = None,
        step: Annotated[int, typer.Option("--step", metavar="MINUTES", help="From one place of the sun to the next.")] = 10,
        out: Annotated[str | None, typer.Option("--out", metavar="FOLDER", help="Folder for the pictures and the table.")] = None,
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Study the sun: hours of it on every surface, as colours and as a table, and where shadows end at given hours."""
        import pandas as pd

        from irodori.core.errors import LightError
        from irodori.formats.atomic import make_folder, whole_file
        from irodori.formats.write_image import write_image
        from irodori.settings.setting import find_setting, of_groups
        from irodori.study.sun_sheet import draw_sun_study
        from irodori.study.sun_study import read_day, sun_study

        latitude, longitude = (float(part) for part in find_setting("place").checked(place).split(","))
        days = [read_day(text) for text in on or USUAL]
        begin, _dash, end = hours.partition("-")
        try:
            span = float(begin), float(end)
            marked = [float(part) for part in mark.split(",") if part.strip()]
        except ValueError:
            raise LightError(
                f"'{hours}' or '{mark}' is not understood; write --hours 8-20 --mark '9, 12, 15'"
            ) from None
        job = job_of(resolved(of_groups(*COMING_IN), told), source)
        with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
            capture = job.open(progress)
            folder = make_folder(out or f"{capture.name}-sun")
            structure = job.read(capture, progress)
            compiler.finish(progress)
            studies = [
                sun_study(structure, (latitude, longitude), day, hours=span, zone=zone, marked=marked, step=step, progress=progress)
                for day in days
            ]  # fmt: skip
            # One scale for all, so that days can be compared.
            most = max(float(study.longest) for study in studies)
            written = []
            for day, study in zip(days, studies):
                path = folder / f"{day:%m-%d}.png"
                write_image(path, draw_sun_study(structure, study, most=most))
                written.append(str(path))
            table = pd.concat([study.by_surface.assign(day=f"{study.day:%Y-%m-%d}") for study in studies])
            with whole_file(folder / "hours.csv") as temporary:
                table.to_csv(temporary, index=False)
        if as_json:
            say_json({"pictures": written, "table": str(folder / "hours.csv"), "clock": studies[0].clock})
            return
        for path in (*written, folder / "hours.csv"):
            say(f"wrote {path}")
