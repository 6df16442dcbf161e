"""irodori demo: the full example in a folder."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Annotated

import typer

from irodori.cli.output import say, say_json
from irodori.cli.source import JsonOption, Source

EXAMPLE = """\b
Example:
  irodori demo --out sazanami"""


def add_to(app: typer.Typer) -> None:
    @app.command("demo", epilog=EXAMPLE)
    def demo(
        out: Annotated[str, typer.Option("--out", metavar="FOLDER", help="Where the example goes.")] = "sazanami",
        quality: Annotated[str, typer.Option("--quality", help="draft, review or final.")] = "review",
        as_json: JsonOption = False,
    ) -> int:  # fmt: skip
        """Run the full example: Sazanami Landing from capture and from model, with proof."""
        from irodori.cli.render import proof_line, render_source
        from irodori.core.errors import OutputError, unknown_name
        from irodori.demo.files import BRIEF, CAPTURES, CORRECTIONS, ENTOURAGE_LIST, MODEL, SCHEDULE, demo_path
        from irodori.engine.trace import EFFORTS
        from irodori.formats.atomic import check_writable
        from irodori.formats.write_image import write_image
        from irodori.proof import prove
        from irodori.structure import read_structure

        if quality not in EFFORTS:
            raise OutputError(unknown_name("quality", quality, EFFORTS))
        folder = Path(out)
        if folder.exists() and not folder.is_dir():
            raise OutputError(f"'{folder}' is a file; give a folder")
        check_writable(folder / MODEL)
        folder.mkdir(parents=True, exist_ok=True)
        for name in (MODEL, SCHEDULE, ENTOURAGE_LIST, BRIEF, *CORRECTIONS, *CAPTURES):
            shutil.copyfile(demo_path(name), folder / name)
        say(f"The example's files are in {folder}: model, captures, finish schedule, brief", as_json=as_json)
        made = []
        shaded = Source(str(folder / "landing-shaded.png"))
        model = Source(str(folder / MODEL), view="landing")
        jobs = (
            (shaded, None, "golden hour", "landing-from-capture.png", "from the viewport capture alone"),
            (model, folder / SCHEDULE, "dusk", "landing-from-model.png", "from the model, with the finish schedule"),
        )
        for source, schedule, light, name, words in jobs:
            answer = render_source(
                source, finishes=schedule, light=light, quality=quality, out=str(folder / name), quiet=as_json
            )
            made.append(answer)
            say(f"{folder / name}: {words}, {light}", as_json=as_json)
            say("  " + proof_line(answer["proof"]), as_json=as_json)
        capture = shaded.open()
        write_image(folder / "landing-read.png", read_structure(capture).preview())
        write_image(folder / "landing-proof.png", prove(capture, folder / "landing-from-capture.png").heatmap())
        say(f"{folder / 'landing-read.png'}: what was read from the capture", as_json=as_json)
        say(f"{folder / 'landing-proof.png'}: where each edge lies", as_json=as_json)
        if as_json:
            say_json({"folder": str(folder), "pictures": made})
        return 0 if all(m["proof"]["in_register"] for m in made) else 1
