"""What the documents, the examples and every `--help` show runs as it stands there."""

import contextlib
import io
import json
import os
import re
import shlex
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from irodori.cli.main import app, main
from irodori.demo import demo_path

REPOSITORY = Path(__file__).parents[2]
DOCUMENTS = [REPOSITORY / "README.md", *sorted((REPOSITORY / "docs").glob("*.md"))]
EXAMPLES = sorted((REPOSITORY / "examples").glob("*.py"))
SMALL = 240
"""px across of what comes in, so that all of it takes minutes and not an hour."""


@pytest.fixture(scope="module")
def desk(tmp_path_factory):
    """A folder with the demo's files, small, and a project file that asks for drafts."""
    folder = tmp_path_factory.mktemp("desk")
    for path in demo_path("landing.glb").parent.iterdir():
        if path.suffix == ".png":
            image = Image.open(path).convert("RGB")
            image.resize((SMALL * 2, round(SMALL * 2 * image.height / image.width)), Image.Resampling.LANCZOS).save(
                folder / path.name
            )
        elif not path.name.endswith(".reading.toml"):
            shutil.copy(path, folder)
    (folder / "irodori.toml").write_text(f'quality = "draft"\nwidth = {SMALL}\nplace = "46.5, 8.1"\n')
    mask = np.zeros((round(SMALL / 1.6), SMALL), np.uint8)
    mask[40:70, 80:120] = 255
    Image.fromarray(mask).save(folder / "door.png")
    shutil.copy(folder / "finishes.csv", folder / "own.csv")
    return folder


def run(line, folder):
    """Run one documented command in this process; returns its exit code and what it said."""
    words = shlex.split(line, comments=True)
    assert words[0] == "irodori"
    said = io.StringIO()
    before = Path.cwd()
    os.chdir(folder)
    try:
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
            code = main(words[1:])
    finally:
        os.chdir(before)
    return code, said.getvalue()


def commands_in(text):
    lines = (line.split("  #")[0].strip() for line in text.splitlines())
    return [line for line in lines if line.startswith("irodori ")]


def blocks(document, kind):
    return re.findall(rf"^```{kind}\n(.*?)^```", document.read_text("utf-8"), re.S | re.M)


SHOWN = [c for d in DOCUMENTS for block in blocks(d, "sh") for c in commands_in(block)]
HELPED = [
    line for command in app.registered_commands for line in commands_in(command.epilog or "")
]  # fmt: skip


def test_documented_commands_run_in_their_order(desk):
    """A picture made at a size of 240 px may be out of register, which exit code 1 says; nothing else may go wrong."""
    # The demo is run as a whole by the tests of the command line; the sheet of all entourage takes as long as its kinds do.
    commands = [
        c for c in dict.fromkeys([*HELPED, *SHOWN]) if not c.startswith(("irodori demo", "irodori entourage --out"))
    ]
    commands = list(dict.fromkeys(re.sub(r"--width \d+", f"--width {SMALL}", c) for c in commands))
    assert len(HELPED) >= 20 and len(SHOWN) >= 10
    for line in commands:
        code, said = run(line, desk)
        out_of_register = code == 1 and "out of register" in said.casefold()
        assert code == 0 or out_of_register, f"{line}\n{said}"
    for name, least in (("travertine.png", 15), ("swatches.png", 10), ("birch.png", 10)):
        drawn = np.asarray(Image.open(desk / name))
        assert drawn.shape[1] >= 1280 and drawn.std() > least, name


def test_every_command_shows_an_example(desk):
    for command in app.registered_commands:
        assert commands_in(command.epilog or ""), command.name


@pytest.mark.parametrize("document", [d for d in DOCUMENTS if blocks(d, "python")], ids=lambda d: d.name)
def test_documented_python_runs(document, desk):
    """Each block by itself, but all in one process, which loads the library once."""
    small = [block.replace('quality="review"', 'quality="draft"') for block in blocks(document, "python")]
    shutil.copy(demo_path("landing-shaded.png"), desk)  # too small, its reading is out of register
    code = "import json, sys\nfor block in json.loads(sys.argv[1]):\n    exec(compile(block, block, 'exec'), {'__name__': '__main__'})"
    done = subprocess.run([sys.executable, "-c", code, json.dumps(small)], cwd=desk, capture_output=True, text=True)
    assert small and done.returncode == 0, done.stderr


def test_documented_files_are_understood(tmp_path):
    """Each TOML block is one of ours, and read by what reads it."""
    from irodori.capture.model.views import read_views_file
    from irodori.finishes.catalogue import read_catalogue
    from irodori.settings.project_file import read_project_file
    from irodori.structure.corrections.file import read_corrections

    read = 0
    for document in DOCUMENTS:
        for block in blocks(document, "toml"):
            path = tmp_path / "irodori.toml"
            path.write_text(block)
            for name in re.findall(r'"([\w.-]+\.(?:csv|toml))"', block):
                (tmp_path / name).write_text("where,finish\nall,slate\n" if "finish" in name else "where\nrole lamp\n")
            if "[[view]]" in block:
                assert read_views_file(path)
            elif "[[surface]]" in block or "[camera]" in block:
                assert read_corrections(path).text
            elif re.match(r'\["', block):
                assert len(read_catalogue(path)) > 100
            else:
                assert read_project_file(path).values
            read += 1
    assert read >= 5


def test_links_lead_somewhere():
    for document in (*DOCUMENTS, REPOSITORY / "CONTRIBUTING.md", REPOSITORY / "benchmarks" / "README.md"):
        for target in re.findall(r"\]\((?!http)([^)#]+)\)", document.read_text("utf-8")):
            assert (document.parent / target).exists(), f"{document.name} links {target}"


ONE_BY_ONE = """
import json, os, runpy, sys, traceback
from pathlib import Path

failed = {}
for script in sys.argv[2:]:
    folder = Path(sys.argv[1]) / Path(script).stem
    folder.mkdir()
    os.chdir(folder)
    try:
        runpy.run_path(script, run_name="__main__")
    except BaseException:
        failed[Path(script).stem] = traceback.format_exc()
print("FAILED", json.dumps(failed))
"""


def test_examples_run(tmp_path):
    """Every example in a folder of its own, one after the other in one process, which loads the library once: each writes into a
    folder of its own name, and nowhere else."""
    done = subprocess.run(
        [sys.executable, "-c", ONE_BY_ONE, str(tmp_path), *map(str, EXAMPLES)],
        capture_output=True,
        text=True,
        timeout=500,
    )
    assert done.returncode == 0, done.stderr
    failed = json.loads(done.stdout.rpartition("FAILED ")[2])
    assert len(EXAMPLES) >= 10 and not failed, "\n".join(f"{name}:\n{said}" for name, said in failed.items())
    for script in EXAMPLES:
        here = tmp_path / script.stem
        assert [p.name for p in here.iterdir()] == [script.stem]
        pictures = list((here / script.stem).glob("*.png"))
        assert pictures and all(np.asarray(Image.open(p)).std() > 5 for p in pictures), script.stem
