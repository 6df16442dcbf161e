"""Entry point: commands, errors in one line, exit codes.

0: done (proof: in register). 1: out of register. 2: something was wrong with what was given. 130: stopped by Ctrl-C.
"""

from __future__ import annotations

import sys

import typer

from irodori.cli import (
    demo,
    entourage,
    finishes,
    looks,
    options,
    proof,
    read,
    recipe,
    render,
    repeat,
    series,
    sun,
    view,
    walk,
    words,
)
from irodori.cli.finished import change, enlarge, relight, touch_up
from irodori.cli.output import heeding_interrupts
from irodori.core.errors import Cancelled, IrodoriError

# Typer's own home for these has moved between versions; their order has not.
UsageError, CommandError = typer.BadParameter.__mro__[1:3]

STOPPED = 130

app = typer.Typer(
    name="irodori",
    help="Client-ready renderings from a viewport capture, a drawing or a model, with proof that nothing moved.",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)
for module in (
    demo,
    view,
    read,
    render,
    relight,
    change,
    touch_up,
    enlarge,
    options,
    series,
    walk,
    sun,
    looks,
    finishes,
    entourage,
    words,
    proof,
    repeat,
    recipe,
):
    module.add_to(app)


@app.callback(invoke_without_command=True)
def _root(version: bool = typer.Option(False, "--version", help="Say the version.")) -> None:
    if version:
        import irodori

        typer.echo(f"irodori {irodori.__version__}")
        raise typer.Exit()


def run() -> None:
    """Run the command line and exit."""
    sys.exit(main(sys.argv[1:]))


def main(arguments: list[str]) -> int:
    """Run one command; returns the exit code."""
    with heeding_interrupts() as stopped:
        code = _run_command(arguments)
        return _say("Stopped; nothing was written", STOPPED) if stopped.is_set() and code != STOPPED else code


def _run_command(arguments: list[str]) -> int:
    try:
        result = app(arguments, prog_name="irodori", standalone_mode=False)
        code = result if isinstance(result, int) else 0
        return code if code != STOPPED else _say("Stopped; nothing was written", STOPPED)
    except typer.Exit as done:
        return done.exit_code if done.exit_code != STOPPED else _say("Stopped; nothing was written", STOPPED)
    except (typer.Abort, KeyboardInterrupt):
        return _say("Stopped; nothing was written", STOPPED)
    except UsageError as error:
        return _say(f"{error.format_message().rstrip('.')}; see 'irodori {_command(arguments)}--help'", 2)
    except CommandError as error:
        return _say(error.format_message(), 2)
    except Cancelled:
        return _say("Stopped; nothing was written", STOPPED)
    except IrodoriError as error:
        return _say(str(error), 2)
    except BrokenPipeError:
        return 0
    except RuntimeError as error:
        if "no locator available" not in str(error):
            raise
        return _say("Compiled kernels can be kept nowhere; set NUMBA_CACHE_DIR to a folder that can be written", 2)
    except MemoryError:
        return _say("There is not enough memory for a picture of this size; try a smaller one", 2)


def _command(arguments: list[str]) -> str:
    known = {command.name for command in app.registered_commands}
    return f"{arguments[0]} " if arguments and arguments[0] in known else ""


def _say(text: str, code: int) -> int:
    typer.echo(f"irodori: {' '.join(text.split())}", err=True)
    return code
