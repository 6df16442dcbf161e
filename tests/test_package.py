"""The package itself: import directions, lightness, the demo's files, the documents."""

import ast
import doctest
import importlib
import subprocess
import sys
from pathlib import Path

import irodori
from irodori.demo.files import CAPTURES, demo_path

ROOT = Path(irodori.__file__).parent
REPOSITORY = Path(__file__).parents[1]

MAY_IMPORT = {
    "core": set(),
    "formats": {"core"},
    "finishes": {"core"},
    "light": {"core"},
    "entourage": {"core", "finishes"},
    "engine": {"core", "finishes"},
    "capture": {"core", "formats", "engine.rays"},
    "structure": {"core", "formats"},
    "scene": {"core", "finishes", "light", "entourage", "engine.rays", "structure"},
    "picture": {"core", "formats", "engine"},
    "proof": {"core", "formats", "structure"},
    "demo": {"core", "formats", "capture"},
    "study": {
        "core",
        "formats",
        "capture",
        "structure",
        "scene",
        "picture",
        "finishes",
        "light",
        "entourage",
        "engine",
    },
}
"""Which rooms each may import. `core.structure` reaches up lazily in `save`, `load` and `preview`, which only delegate."""

DELEGATES = {("core/structure.py", "formats"), ("core/structure.py", "structure")}


def imports_of(path):
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("irodori."):
            yield node.module.removeprefix("irodori.")
        elif isinstance(node, ast.Import):
            yield from (a.name.removeprefix("irodori.") for a in node.names if a.name.startswith("irodori."))


def test_import_directions_hold():
    wrong = []
    for room, allowed in MAY_IMPORT.items():
        for path in (ROOT / room).rglob("*.py"):
            for module in imports_of(path):
                target = module.split(".")[0]
                name = path.relative_to(ROOT).as_posix()
                if target == room or (name, target) in DELEGATES:
                    continue
                if not any(module == a or module.startswith(a + ".") for a in allowed):
                    wrong.append(f"{name} imports {module}")
    assert not wrong


def test_every_room_is_covered():
    rooms = {p.name for p in ROOT.iterdir() if p.is_dir() and (p / "__init__.py").exists()}
    assert rooms - {"cli"} == set(MAY_IMPORT)


def test_core_neither_prints_nor_parses():
    for path in ROOT.rglob("*.py"):
        if path.parent.name == "cli":
            continue
        tree = ast.parse(path.read_text("utf-8"))
        calls = {n.func.id for n in ast.walk(tree) if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)}
        assert "print" not in calls and "input" not in calls, path


def test_importing_loads_nothing_heavy():
    code = "import sys, irodori; print([m for m in ('numpy', 'numba', 'cv2', 'pandas', 'trimesh') if m in sys.modules])"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True).stdout.strip() == "[]"


def test_public_names_resolve():
    for name in irodori.__all__:
        assert getattr(irodori, name) is not None


def test_docstring_examples_are_true():
    tried = 0
    for path in sorted(ROOT.rglob("*.py")):
        if ">>> " not in path.read_text("utf-8"):
            continue
        name = ".".join(path.relative_to(ROOT.parent).with_suffix("").parts).removesuffix(".__init__")
        result = doctest.testmod(importlib.import_module(name))
        tried += result.attempted
        assert result.failed == 0, name
    assert tried >= 10


def test_demo_data_is_small_and_complete():
    files = [demo_path(name) for name in ("landing.glb", "finishes.csv", "brief.txt", *CAPTURES)]
    assert sum(f.stat().st_size for f in files) < 8_000_000


def test_demo_model_comes_from_code(tmp_path):
    from irodori.demo.write import write_model

    made = irodori.open_model(write_model(tmp_path / "landing.glb"))
    shipped = irodori.open_model(demo_path("landing.glb"))
    assert len(made.data.mesh) == len(shipped.data.mesh)
    assert 10_000 <= len(made.data.mesh) <= 60_000
    assert [v.name for v in made.views] == [v.name for v in shipped.views]


def test_documents_name_files_that_exist():
    import re

    for document in ("README.md", "CONTRIBUTING.md"):
        text = (REPOSITORY / document).read_text("utf-8")
        for target in re.findall(r"\]\((?!http)([^)#]+)\)", text):
            assert (REPOSITORY / target).exists(), f"{document} links {target}"
