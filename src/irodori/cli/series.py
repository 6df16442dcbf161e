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
  irodori series landing.glb --view landing --on "21 June" --place "46.5, 8.1" --every 180 --quality draft --animate day.webp
  irodori series landing.glb --view landing --weathers --light morning --quality draft --out weathers
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
        on: Annotated[str | None, typer.Option("--on", metavar="DAY", help="Lights of a day at --place: 'summer solstice', '21 June' or '2026-06-21'.")] = None,
        hours: Annotated[str, typer.Option("--hours", metavar="FROM-TO", help="With --on: from when to when.")] = "5-22",
        every: Annotated[int, typer.Option("--every", metavar="MINUTES", help="With --on: from light to light.")] = 60,
        zone: Annotated[str, typer.Option("--zone", metavar="ZONE", help="With --on: the clock's zone as +02:00; without it the sun's own mean time.")] = "",
        weathers: Annotated[bool, typer.Option("--weathers", help="The light, or noon, in every weather.")] = False,
        seasons: Annotated[bool, typer.Option("--seasons", help="The lights, or low sun, in all four seasons.")] = False,
        one_exposure: Annotated[bool, typer.Option("--one-exposure", help="Develop all in the first one's exposure, so that light wanes as it does.")] = False,
        animate: Annotated[str | None, typer.Option("--animate", metavar="FILE", help="A moving picture too: .webp, .png, .gif; .mp4 and .webm where an encoder is installed.")] = None,
        seconds: Annotated[float, typer.Option("--seconds", metavar="NUMBER", help="How long each picture shows in that.")] = 0.5,
        like: LikeOption = None, shown: ExplainOption = False, as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Render one view in several lights, and lay the pictures out on a sheet."""
        from irodori.core.errors import LightError
        from irodori.entourage.catalogue import SEASONS
        from irodori.formats.animation import check_animation, write_animation
        from irodori.formats.atomic import make_folder
        from irodori.formats.write_image import write_image
        from irodori.settings.known.dressing import light_at
        from irodori.settings.setting import of_groups
        from irodori.study.contact_sheet import contact_sheet
        from irodori.study.series import DAY, in_all_weathers, series_of

        values = resolved(of_groups(*GROUPS), told, like)
        job = job_of(values, source, like)
        named = list(light or ())
        if on is not None:
            named += _day(on, values.kept("place"), hours, every, zone)
        if weathers and len(named) > 1:
            raise LightError("Every weather is shown in one light; give --light once")
        if not named:
            named = ["noon"] if weathers else ["golden hour"] if seasons else list(DAY)
        if weathers:
            named = in_all_weathers(named[0])
        lights = [light_at(name, values.kept("place")) for name in named]
        if animate is not None:
            check_animation(animate)
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
            through = series_of(
                job, structure, lights, seasons=SEASONS if seasons else (), one_exposure=one_exposure, progress=progress
            )
            for name, picture in through:
                written.append(str(picture.save(folder / f"{len(written) + 1:02d}-{light_word(name)}.png")))
                pictures.append((name, picture.developed))
            write_image(sheet, contact_sheet(pictures))
            if animate is not None:
                write_animation(animate, [picture for _, picture in pictures], seconds)
        if as_json:
            say_json(
                {
                    "pictures": written,
                    "lights": [name for name, _ in pictures],
                    "sheet": str(sheet),
                    "animation": animate,
                }
            )
            return
        for path, (name, _) in zip(written, pictures):
            say(f"wrote {path} ({name})")
        say(f"wrote {sheet}")
        if animate is not None:
            say(f"wrote {animate}")


def _day(on: str, place: str | None, hours: str, every: int, zone: str) -> list[str]:
    from irodori.core.errors import LightError
    from irodori.study.series import lights_of_day
    from irodori.study.sun_study import read_day

    if place is None:
        raise LightError("Lights of a day need a place: --place '46.5, 8.1'")
    try:
        begin, end = (float(part) for part in hours.split("-"))
    except ValueError:
        raise LightError(f"--hours '{hours}' is not understood; write 5-22") from None
    return lights_of_day(read_day(on), place, hours=(begin, end), every=every, zone=zone)
