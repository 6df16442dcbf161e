"""Here the command line runs as users run it, as a process."""

import subprocess
import sys

import pytest


@pytest.fixture
def cli(tmp_path):
    """Run the command line as a process in a folder of its own."""

    def run(*arguments, **kwargs):
        return subprocess.run(
            [sys.executable, "-c", "from irodori.cli.main import run; run()", *map(str, arguments)],
            cwd=tmp_path, capture_output=True, text=True, timeout=300, **kwargs,
        )  # fmt: skip

    return run
