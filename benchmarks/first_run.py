"""The first draft on a fresh machine: a copy of the package without kernel caches, an empty home."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import irodori


def main() -> None:
    with tempfile.TemporaryDirectory() as place:
        copy = Path(place) / "irodori"
        shutil.copytree(Path(irodori.__file__).parent, copy, ignore=shutil.ignore_patterns("__pycache__"))
        environment = os.environ | {"PYTHONPATH": place, "HOME": place, "XDG_CACHE_HOME": place}
        command = [sys.executable, "-m", "irodori", "render", str(copy / "demo/data/landing-shaded.png")]
        for run in ("first", "second"):
            start = time.perf_counter()
            out = subprocess.run(
                [*command, "--quality", "draft", "--out", f"{place}/a.png"],
                env=environment,
                capture_output=True,
                text=True,
            )
            print(
                f"{run}: {time.perf_counter() - start:.0f} s, exit {out.returncode}; stages shown: {out.stderr.count('…')}"
            )


if __name__ == "__main__":
    main()
