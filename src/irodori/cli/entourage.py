"""irodori entourage: what can be added, and a sheet of it."""

from __future__ import annotations

from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import resolved

EXAMPLE = """\b
Examples:
  irodori entourage
  irodori entourage shrub --out shrubs.png
  irodori entourage birch --season autumn --out birch.png

A list for 'irodori render --entourage' has the columns what and where, and if you like mark, height, spacing, number,
facing, season, manner (solid, translucent, drawn), over (yes: may cover architecture) and note. Places are
  pixel 412,640           where it stands in the picture; several may follow
  line 100,600 900,640    one after the other, along a line in the picture
  area 80,700 400,690 …   scattered over an area of the picture
  at 12.5,-3              metres east and north in the model, the same in every view
  along 10,17 24,17       along a line in the model
  within 4,3 9,3 9,8      scattered over an area of the model
  role lawn, name bed*    all over these surfaces, as in the finish schedule
  horizon                 for hills, far trees and a townscape"""


def add_to(app: typer.Typer) -> None:
    @app.command("entourage", epilog=EXAMPLE)
    @takes("quality")
    def entourage(
        told: dict,
        family: Annotated[str | None, typer.Argument(metavar="[FAMILY_OR_KIND]", help="Only one family, or one kind.")] = None,
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="Draw a sheet; of one kind, a picture.")] = None,
        season: Annotated[str, typer.Option("--season", help="spring, summer, autumn or winter.")] = "summer",
        light: Annotated[str, typer.Option("--light", metavar="NAME", help="Light on the samples.")] = "afternoon",
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """List what can be added to a picture, and draw it."""
        from dataclasses import asdict

        from irodori.core.errors import EntourageError, unknown_name
        from irodori.entourage import ENTOURAGE
        from irodori.formats.atomic import check_writable
        from irodori.formats.write_image import check_suffix, write_image
        from irodori.settings.setting import of_groups

        quality = resolved(of_groups("quality"), told)["quality"]
        families = sorted({k.family for k in ENTOURAGE.values()})
        wanted = None if family is None else family.casefold()
        if wanted is not None and wanted not in families and wanted not in ENTOURAGE:
            raise EntourageError(unknown_name("family or kind", family, [*families, *ENTOURAGE]))
        chosen = [k for n, k in ENTOURAGE.items() if wanted in (None, n, k.family)]
        if out is not None:
            check_suffix(out)
            check_writable(out)
            from irodori.study.entourage_sheet import entourage_sheet, kind_sample

            with progress_bar(as_json) as progress:
                first_run.compile_all(as_json, progress)
                how = {"season": season, "light": light, "quality": quality, "progress": progress}
                sheet = kind_sample(chosen[0], **how) if wanted in ENTOURAGE else entourage_sheet(chosen, **how)
            write_image(out, sheet)
        if as_json:
            say_json({"entourage": [asdict(k) for k in chosen], "sheet": out})
            return
        for group in dict.fromkeys(k.family for k in chosen):
            say(group)
            for k in chosen:
                if k.family == group:
                    say(f"  {k.name:<18} {k.height:>5g} m  {k.about}")
        if out is not None:
            say(f"wrote {out}")
