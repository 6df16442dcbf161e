"""irodori proof: is a picture in register with its reference?"""

from __future__ import annotations

from typing import Annotated

import typer

from irodori.cli.command import JsonOption
from irodori.cli.output import progress_bar, say, say_json

EXAMPLE = """\b
Examples:
  irodori proof landing-shaded.png dusk.png
  irodori proof landing-shaded.png dusk.png --out drift.png"""


def add_to(app: typer.Typer) -> None:
    @app.command("proof", epilog=EXAMPLE)
    def proof(
        reference: Annotated[str, typer.Argument(metavar="REFERENCE", help="A capture, a structure (.exr) or a finished picture.")],
        picture: Annotated[str, typer.Argument(metavar="PICTURE", help="The picture to check; made here or anywhere.")],
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="Write the heat map of drift.")] = None,
        as_json: JsonOption = False,
    ) -> int:  # fmt: skip
        """Prove that a picture is in register. Exits with 0 if it is, with 1 if not."""
        from irodori.cli.render import proof_line
        from irodori.formats.atomic import check_writable
        from irodori.formats.write_image import check_suffix, write_image
        from irodori.proof import prove

        if out is not None:
            check_suffix(out)
            check_writable(out)
        with progress_bar(as_json) as progress:
            report = prove(reference, picture, progress=progress)
        if out is not None:
            write_image(out, report.heatmap())
        if as_json:
            say_json(report.as_dict() | ({"heatmap": out} if out else {}))
            return 0 if report.in_register else 1
        say(proof_line(report.as_dict()))
        x, y = report.similarity["shift"]
        say(
            f"  shift {x:+.3f}, {y:+.3f} px; scale {report.similarity['scale']:.5f}; "
            f"rotation {report.similarity['rotation']:+.4f}°; precision {report.edge_precision:.3f}; "
            f"{len(report.pieces)} edge pieces"
        )
        for change in report.changed:
            say(f"  {change}")
        for note in report.notes:
            say(f"  {note}")
        if out is not None:
            say(f"wrote {out}")
        return 0 if report.in_register else 1
