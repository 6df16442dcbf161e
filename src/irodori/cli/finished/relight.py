"""irodori relight: a finished picture under another light."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from irodori.cli.command import ExplainOption, JsonOption, explain, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.render import check_output, render_job, say_answer
from irodori.settings.setting import COMING_IN, PICTURE

EXAMPLE = """\b
Examples:
  irodori relight landing.png --light dusk --quality draft
  irodori relight landing.png --light dusk --structure landing.glb --view landing --quality draft
  irodori relight landing.png --split apart.png --structure landing.glb --view landing --quality draft
  irodori relight landing.png --light "golden hour, sun left" --old-light dusk --quality draft
  irodori relight landing.png --light night --structure landing.glb --view landing --finishes finishes.csv --quality draft --out evening.png"""


def add_to(app: typer.Typer) -> None:
    @app.command("relight", epilog=EXAMPLE)
    @takes(*COMING_IN, *PICTURE)
    def relight_command(
        told: dict,
        picture: Annotated[str, typer.Argument(metavar="PICTURE", help="A rendering or a photo.")],
        structure: Annotated[str | None, typer.Option("--structure", metavar="FILE", help="The model (with --view), capture or saved structure that it shows; else it is read from the picture.")] = None,
        old_light: Annotated[str | None, typer.Option("--old-light", metavar="NAME", help="The light that it shows; else that is found out.")] = None,
        keep_detail: Annotated[float, typer.Option("--keep-detail", metavar="SHARE", help="How much of its fine detail is kept, 0 to 1.")] = 1.0,
        split: Annotated[str | None, typer.Option("--split", metavar="FILE", help="Write what it shows apart, its light and its surfaces without it: a sheet, or layers as .exr. Then --light may be left out.")] = None,
        shown: ExplainOption = False, as_json: JsonOption = False,
    ) -> int:  # fmt: skip
        """Relight a finished picture.

        The old light is taken out of it and a new one put in. What it shows stays where it is, with its own colours, textures and
        lettering; sky, water and glazing are rendered anew. A picture that was made here is made again under the new light.
        """
        from irodori.core.errors import IrodoriError
        from irodori.study.finished.relight import relight_job

        if split is not None:
            apart = _split(picture, told, structure, old_light, split, as_json)
            if told["light"] is None and told["brief"] is None:
                return apart
        if told["light"] is None and told["brief"] is None:
            raise IrodoriError("Say which light: --light dusk; irodori render --help tells of lights")
        with progress_bar(as_json) as progress:
            job, values = relight_job(
                picture, told, structure=structure, old_light=old_light, keep_detail=keep_detail, progress=progress
            )
        check_output(values, values.kept("look") or "photographic")
        if shown:
            explain(values.explained(), as_json)
            return 0
        answer = render_job(job, values, called=Path(picture).stem, quiet=as_json)
        if as_json:
            say_json(answer)
        else:
            say_answer(answer)
        return 0 if answer["proof"] is None or answer["proof"]["in_register"] else 1


def _split(
    picture: str, told: dict, structure: str | None, old_light: str | None, out: str, as_json: bool
) -> int:
    """Write a picture's light and surfaces apart, and say how well its light is known."""
    from irodori.formats.atomic import check_writable
    from irodori.formats.write_image import check_suffix
    from irodori.study.finished.taken_apart import taken_apart

    check_suffix(out)
    check_writable(out)
    opening = {name: value for name, value in told.items() if name not in ("light", "brief", "out")}
    with progress_bar(as_json) as progress:
        apart = taken_apart(picture, opening, structure, old_light, progress)
        apart.save(out)
    if as_json:
        say_json({"split": out, "light": apart.light, "explained": apart.parts.explained, "sure": apart.sure})
    else:
        say(f"wrote {out}: {apart.told}" + ("" if apart.sure else "; --old-light says what it is"))
    return 0
