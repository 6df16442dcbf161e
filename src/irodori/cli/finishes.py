"""irodori finishes: the catalogue, and a sheet of swatches."""

from __future__ import annotations

from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import resolved

EXAMPLE = """\b
Examples:
  irodori finishes
  irodori finishes timber
  irodori finishes travertine --out travertine.png
  irodori finishes --out swatches.png"""


def add_to(app: typer.Typer) -> None:
    @app.command("finishes", epilog=EXAMPLE)
    @takes("quality")
    def finishes(
        told: dict,
        family: Annotated[str | None, typer.Argument(metavar="[FAMILY_OR_FINISH]", help="Only one family, or one finish.")] = None,
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="Draw the swatch sheet; of one finish, a wall, a cube and a ball.")] = None,
        light: Annotated[str, typer.Option("--light", metavar="NAME", help="Light on the swatches.")] = "afternoon",
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """List the catalogue of finishes, and draw them as swatches."""
        from irodori.core.errors import FinishError, unknown_name
        from irodori.finishes import FINISHES
        from irodori.formats.atomic import check_writable
        from irodori.formats.write_image import check_suffix, write_image
        from irodori.settings.setting import of_groups

        quality = resolved(of_groups("quality"), told)["quality"]
        families = sorted({f.family for f in FINISHES.values()})
        single = [f for n, f in FINISHES.items() if family is not None and n.casefold() == family.casefold()]
        if family is not None and not single and family.casefold() not in families:
            raise FinishError(unknown_name("family or finish", family, [*families, *FINISHES]))
        chosen = single or [f for f in FINISHES.values() if family is None or f.family == family.casefold()]
        if out is not None:
            check_suffix(out)
            check_writable(out)
            from irodori.study.swatches import finish_sample, swatch_sheet

            with progress_bar(as_json) as progress:
                first_run.compile_all(as_json, progress)
                how = {"light": light, "quality": quality, "progress": progress}
                sheet = finish_sample(single[0], **how) if single else swatch_sheet(
                    [f for f in chosen if not f.as_found], **how
                )  # fmt: skip
            write_image(out, sheet)
        if as_json:
            say_json({"finishes": [f.model_dump() for f in chosen], "sheet": out})
            return
        for group in sorted({f.family for f in chosen}):
            say(group)
            for f in chosen:
                if f.family == group:
                    size = f"{f.unit[0] * 1000:.0f} × {f.unit[1] * 1000:.0f} mm" if f.pattern not in ("plain",) else ""
                    say(f"  {f.name:<24} {f.about:<60} {size}")
        if out is not None:
            say(f"wrote {out}")
