"""irodori read: write the structure and an annotated picture."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from irodori.cli.command import ExplainOption, JsonOption, SourceArgument, explain, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import job_of, resolved
from irodori.settings.setting import COMING_IN

EXAMPLE = """\b
Examples:
  irodori read landing-shaded.png
  irodori read landing-shaded.png --length "412,305 640,310 = 2.10 m"
  irodori read landing.glb --view hall --out hall.exr"""


def add_to(app: typer.Typer) -> None:
    @app.command("read", epilog=EXAMPLE)
    @takes(*COMING_IN)
    def read(
        told: dict,
        source: SourceArgument,
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="Structure file (.exr); a .json and a .png come beside it.")] = None,
        cache: Annotated[bool, typer.Option("--cache/--no-cache", help="Use what was kept from last time.")] = True,
        shown: ExplainOption = False, as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Read the structure: camera, surfaces, depth, lines and roles.

        Writes the structure (EXR and JSON), a picture with regions, lines, horizon, vanishing points and roles, one that
        shows where to look first, and beside a capture the text file in which to correct what was read wrongly.
        """
        from irodori.core.errors import OutputError
        from irodori.formats.atomic import check_writable
        from irodori.formats.write_image import write_image
        from irodori.settings.setting import of_groups

        if out is not None and Path(out).suffix.lower() != ".exr":
            raise OutputError(f"A structure is written as .exr (with .json and .png beside it), not '{out}'")
        if out is not None:
            check_writable(out)
        values = resolved(of_groups(*COMING_IN), told)
        job = job_of(values, source)
        if shown:
            explain(values.explained(), as_json)
            return
        with progress_bar(as_json) as progress:
            capture = job.open(progress, cache=cache)
            structure = job.read(capture, progress, cache=cache)
        target = Path(out or f"{capture.name}-structure.exr")
        written = [str(p) for p in structure.save(target)]
        write_image(target.with_suffix(".png"), structure.preview())
        written.append(str(target.with_suffix(".png")))
        if capture.exact is None:
            doubts = target.with_name(f"{target.stem}-doubts.png")
            write_image(doubts, structure.preview("confidence"))
            written.append(str(doubts))
            written.append(str(_keep_corrections(structure, values["corrections"], capture.source, target)))
        roles = structure.surfaces.groupby("role")["area_px"].sum().sort_values(ascending=False)
        if as_json:
            say_json({
                "source": source, "kind": structure.kind, "camera": structure.camera.as_dict(),
                "surfaces": len(structure.surfaces), "confidence": structure.confidence,
                "roles_px": {k: int(v) for k, v in roles.items()}, "removed": list(capture.removed),
                "notes": list(structure.notes), "files": written,
            })  # fmt: skip
            return
        say(f"{structure!r}, kind: {structure.kind}")
        for note in dict.fromkeys((*capture.removed, *structure.notes)):
            say(f"  {note}")
        say(
            "  "
            + ", ".join(f"{role} {100 * area / structure.regions.size:.0f} %" for role, area in roles.head(8).items())
        )
        for path in written:
            say(f"wrote {path}")


def _keep_corrections(structure, given: str | None, source: str, target: Path) -> Path:
    """Write what was believed, where the user corrects it: beside the capture, or beside the result if that is locked."""
    from irodori.core.errors import OutputError
    from irodori.structure.corrections.file import corrections_beside, write_corrections

    try:
        return write_corrections(given or corrections_beside(source), structure)
    except OutputError:
        if given:
            raise
        return write_corrections(corrections_beside(target.parent / Path(source).name), structure)
