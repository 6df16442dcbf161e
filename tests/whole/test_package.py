"""The package itself: import directions, lightness, the demo's files, the documents."""

import ast
import doctest
import importlib
import subprocess
import sys
from pathlib import Path

import pytest

import irodori
from irodori.demo.files import CAPTURES, demo_path

ROOT = Path(irodori.__file__).parent
REPOSITORY = Path(__file__).parents[2]


def test_import_directions_hold(monkeypatch):
    """The contracts stand in `pyproject.toml`: which rooms each may import, and no circles."""
    from importlinter.cli import lint_imports

    monkeypatch.chdir(REPOSITORY)
    assert lint_imports(config_filename="pyproject.toml", no_cache=True) == 0


def test_every_room_is_covered():
    import tomllib

    contracts = tomllib.loads((REPOSITORY / "pyproject.toml").read_text("utf-8"))["tool"]["importlinter"]["contracts"]
    held = {c["source_modules"][0].removeprefix("irodori.") for c in contracts if c["type"] == "forbidden"}
    rooms = {p.name for p in ROOT.iterdir() if p.is_dir() and (p / "__init__.py").exists()}
    assert rooms - {"cli"} == held


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
        assert name in dir(irodori) and getattr(irodori, name) is vars(irodori)[name]
    with pytest.raises(AttributeError, match="colour_it"):
        _ = irodori.colour_it


def test_type_checkers_see_the_same_names():
    stub = ast.parse((ROOT / "__init__.pyi").read_text("utf-8"))
    told = {
        (node.module, alias.asname) for node in stub.body if isinstance(node, ast.ImportFrom) for alias in node.names
    }  # fmt: skip
    assert told == {(module, name) for name, module in irodori._MODULE_OF.items()}


def test_a_type_checker_follows_the_public_names(tmp_path):
    use = Path(__file__).with_name("typed_use.py")
    wrong = tmp_path / "wrong.py"
    wrong.write_text("import irodori as iro\niro.render(3, 'drft')\nx: int = iro.make_light('noon')\n")
    config = f"--config-file={REPOSITORY / 'pyproject.toml'}"
    checked = subprocess.run(
        [sys.executable, "-m", "mypy", config, f"--cache-dir={tmp_path}", str(use), str(wrong)], capture_output=True, text=True
    )  # fmt: skip
    errors = [line for line in checked.stdout.splitlines() if ": error:" in line]
    assert len(errors) == 3 and all(line.split(":")[0].endswith("wrong.py") for line in errors), checked.stdout


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
