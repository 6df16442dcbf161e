"""irodori demo: the full example in a folder."""

from __future__ import annotations

import shutil
from typing import Annotated

import typer

from irodori.cli.command import JsonOption, takes
from irodori.cli.output import say, say_json
from irodori.cli.work import job_of, resolved
from irodori.settings.setting import COMING_IN, PICTURE

EXAMPLE = """\b
Example:
  irodori demo --out sazanami"""


def add_to(app: typer.Typer) -> None:
    @app.command("demo", epilog=EXAMPLE)
    @takes("quality")
    def demo(
        told: dict,
        out: Annotated[str, typer.Option("--out", metavar="FOLDER", help="Where the example goes.")] = "sazanami",
        as_json: JsonOption = False,
    ) -> int:  # fmt: skip
        """Run the full example: Sazanami Landing from capture and from model, with proof."""
        from irodori.capture import open_capture
        from irodori.cli.render import proof_line, render_job
        from irodori.demo.files import BRIEF, CAPTURES, CORRECTIONS, ENTOURAGE_LIST, MODEL, SCHEDULE, demo_path
        from irodori.formats.atomic import make_folder
        from irodori.formats.write_image import write_image
        from irodori.proof import prove
        from irodori.settings.setting import of_groups
        from irodori.settings.values import resolve
        from irodori.structure import read_structure

        known = of_groups(*COMING_IN, *PICTURE)
        told = {**told, "quality": resolved(of_groups("quality"), told)["quality"]}
        folder = make_folder(out)
        for name in (MODEL, SCHEDULE, ENTOURAGE_LIST, BRIEF, *CORRECTIONS, *CAPTURES):
            shutil.copyfile(demo_path(name), folder / name)
        say(f"The example's files are in {folder}: model, captures, finish schedule, brief", as_json=as_json)
        made = []
        shaded = folder / "landing-shaded.png"
        dressed = {"finishes": str(folder / SCHEDULE), "view": "landing", "light": "dusk"}
        jobs = (
            (shaded, {"light": "golden hour"}, "landing-from-capture.png", "from the viewport capture alone"),
            (folder / MODEL, dressed, "landing-from-model.png", "from the model, with the finish schedule"),
        )
        for source, given, name, words in jobs:
            values = resolve(known, {**told, **given, "out": str(folder / name)})
            answer = render_job(job_of(values, str(source)), values, quiet=as_json)
            made.append(answer)
            say(f"{folder / name}: {words}, {answer['light']}", as_json=as_json)
            say("  " + proof_line(answer["proof"]), as_json=as_json)
        capture = open_capture(shaded)
        write_image(folder / "landing-read.png", read_structure(capture).preview())
        write_image(folder / "landing-proof.png", prove(capture, folder / "landing-from-capture.png").heatmap())
        say(f"{folder / 'landing-read.png'}: what was read from the capture", as_json=as_json)
        say(f"{folder / 'landing-proof.png'}: where each edge lies", as_json=as_json)
        if as_json:
            say_json({"folder": str(folder), "pictures": made})
        return 0 if all(m["proof"]["in_register"] for m in made) else 1
