"""irodori finishes: the catalogue, and a sheet of swatches."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import job_of, resolved
from irodori.settings.setting import COMING_IN

if TYPE_CHECKING:
    from irodori.settings.values import Values

EXAMPLE = """\b
Examples:
  irodori finishes
  irodori finishes timber
  irodori finishes travertine --out travertine.png
  irodori finishes --out swatches.png
  irodori finishes --for landing.glb --view landing --out legend.pdf --draft finishes.csv"""


GROUPS = (*COMING_IN, "dressing", "quality")


def add_to(app: typer.Typer) -> None:
    @app.command("finishes", epilog=EXAMPLE)
    @takes(*GROUPS)
    def finishes(
        told: dict,
        family: Annotated[str | None, typer.Argument(metavar="[FAMILY_OR_FINISH]", help="Only one family, or one finish.")] = None,
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="Draw the swatch sheet; of one finish, a wall, a cube and a ball.")] = None,
        light: Annotated[str, typer.Option("--light", metavar="NAME", help="Light on the swatches.")] = "afternoon",
        subject: Annotated[str | None, typer.Option("--for", metavar="CAPTURE_OR_MODEL", help="What can be scheduled of it: a table; with --out the legend, .pdf or .png.")] = None,
        draft: Annotated[str | None, typer.Option("--draft", metavar="FILE", help="With --for: write a finish schedule, CSV, that says what each has now.")] = None,
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """List the catalogue of finishes, draw them as swatches, or list what can be scheduled of a capture or model."""
        from irodori.core.errors import FinishError, unknown_name
        from irodori.finishes import FINISHES
        from irodori.formats.atomic import check_writable
        from irodori.formats.write_image import check_suffix, write_image
        from irodori.settings.setting import of_groups

        values = resolved(of_groups(*GROUPS), told)
        if subject is not None:
            if family is not None:
                raise FinishError("One question at a time: a family of the catalogue, or --for a capture or model")
            _of_a_view(subject, values, out, draft, as_json)
            return
        if draft is not None:
            raise FinishError("A drafted schedule is of something; say of what with --for")
        quality = values["quality"]
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


def _of_a_view(source: str, values: Values, out: str | None, draft: str | None, as_json: bool) -> None:
    """What can be scheduled of a capture or a model's view."""
    from irodori.core.errors import OutputError
    from irodori.formats.atomic import check_writable, whole_file
    from irodori.scene.schedulable import drafted_schedule, schedulable
    from irodori.study.legend import ENDINGS, write_legend

    if out is not None and Path(out).suffix.lower() not in ENDINGS:
        raise OutputError(f"A legend is written as {' or '.join(ENDINGS)}, not '{out}'")
    for path in filter(None, (out, draft)):
        check_writable(path)
    job = job_of(values, source)
    with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
        capture = job.open(progress)
        structure = job.read(capture, progress)
        compiler.finish(progress)
        scene = job.dress(structure)
        items = schedulable(scene)
        left = [f"brief: '{u.phrase}' not understood" for u in job.brief.unknown] if job.brief is not None else []
        if draft is not None:
            with whole_file(draft) as temporary:
                temporary.write_text(drafted_schedule(scene, items, tuple([*scene.unmatched, *left])), encoding="utf-8")
        if out is not None:
            write_legend(out, scene, items, title=f"Finishes: {capture.name}", progress=progress)
    if as_json:
        say_json({
            "items": [{
                "mark": i.mark, "role": i.role, "where": i.where, "finish": i.finish.name, "why": i.reason, "surfaces": len(i.surfaces),
                "area_m2": round(i.area, 2), "share": round(i.share, 5), "spot": i.spot,
            } for i in items], "legend": out, "schedule": draft,
        })  # fmt: skip
        return
    wide = max((len(i.where) for i in items), default=0)
    for item in items:
        say(
            f"{item.mark}  {item.where:<{min(wide, 44)}}  {item.finish.name:<26} {len(item.surfaces):4d}  {item.area:10.1f} m²  {item.reason}"
        )
    for path in filter(None, (draft, out)):
        say(f"wrote {path}")
