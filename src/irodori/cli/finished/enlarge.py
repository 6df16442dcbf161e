"""irodori enlarge: a finished picture some times as large."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.settings.setting import COMING_IN

EXAMPLE = """\b
Examples:
  irodori enlarge landing.png --times 2 --out large.png
  irodori enlarge landing.png --times 2 --structure landing.glb --view landing --out sharp.tif --bits 16"""

OutOption = Annotated[str | None, typer.Option("--out", metavar="FILE", help="PNG, TIFF, JPEG or WebP.")]
BitsOption = Annotated[int | None, typer.Option("--bits", metavar="NUMBER", help="8, or 16 for PNG and TIFF.")]
StructureOption = Annotated[
    str | None,
    typer.Option("--structure", metavar="FILE", help="The model (with --view), capture or saved structure that it shows: its borders are drawn sharp."),
]  # fmt: skip


def add_to(app: typer.Typer) -> None:
    @app.command("enlarge", epilog=EXAMPLE)
    @takes(*COMING_IN, without=("width", "height", "size"))
    def enlarge_command(
        told: dict,
        picture: Annotated[str, typer.Argument(metavar="PICTURE", help="A rendering or a photo.")],
        times: Annotated[int, typer.Option("--times", metavar="NUMBER", help="How many times as large, 2 to 8.")] = 2,
        structure: StructureOption = None, out: OutOption = None, bits: BitsOption = None, as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Enlarge a finished picture, 2 to 8 times.

        A picture that was made here is rendered larger, with all the detail that size shows. Any other is enlarged by its own pixels:
        edges stay sharp, textures go on, nothing is invented.
        """
        from irodori.core.recipe import FromFinished
        from irodori.formats.atomic import check_writable
        from irodori.formats.read_image import read_image
        from irodori.formats.write_image import check_suffix
        from irodori.picture.finished import check_pixels
        from irodori.settings.known.going_out import check_bits
        from irodori.study.finished.enlarge import enlarge_job
        from irodori.study.finished.kept import kept_when_shrunk

        target = Path(out or f"{Path(picture).stem}-{times}x.png")
        check_bits(bits or 8, check_suffix(target))
        check_writable(target)
        with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
            job = enlarge_job(picture, times, told, structure=structure, progress=progress)
            anew = not isinstance(job.recipe.source, FromFinished)
            if not anew:
                check_pixels(target)
            large = job.run(progress)
            compiler.finish(progress)
            large.save(target, bits=bits or job.recipe.output.bits)
        kept = kept_when_shrunk(read_image(Path(picture)).rgb, large.encoded, times)
        answer = {"picture": str(target), "size": list(large.size), "times": times, "rendered_anew": anew, "shrunk_again": kept}
        if as_json:
            say_json(answer)
            return
        say(f"wrote {target} ({large.size[0]} × {large.size[1]}, {'rendered larger' if anew else 'by its own pixels'})")
        say(f"shrunk again it differs from {picture} by {kept['mean']:.2f} of 255 (mean), {kept['p99']:.1f} (99 %)")
