"""irodori options: one source under every combination of some decisions."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Annotated, Any

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, LikeOption, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.settings.setting import COMING_IN, PICTURE

if TYPE_CHECKING:
    from irodori.study.choosing.estimate import Estimate
    from irodori.study.choosing.make import Made

EXAMPLE = """\b
Examples:
  irodori options landing.glb --view landing --vary "light: dawn | dusk" --vary "finish role wall: red brick | white render" --yes
  irodori options landing.glb --view landing --vary "exposure: -1 to 1 in 5" --quality draft --out ladder --yes
  irodori options landing.glb --view landing --vary "season: summer | winter" --seeds 2 --count"""

ASK_ABOVE = 60.0
"""Seconds from which it is asked first."""

WITHOUT = ("out", "format", "placed", "proof")


def add_to(app: typer.Typer) -> None:
    @app.command("options", epilog=EXAMPLE)
    @takes(*COMING_IN, *PICTURE, without=WITHOUT)
    def options_command(
        told: dict,
        source: Annotated[str | None, typer.Argument(metavar="[CAPTURE_OR_MODEL]", help="A picture, a model or a saved structure.")] = None,
        vary: Annotated[list[str] | None, typer.Option("--vary", metavar="TEXT", help="A decision and its values: 'light: dawn | dusk', 'finish role wall: red brick | white render', 'weather: overcast | fog', 'mood: cosy | minimal'; 'exposure: -1 to 1 in 5' is a ladder. Give several for all combinations.")] = None,
        seeds: Annotated[int, typer.Option("--seeds", metavar="NUMBER", help="As many throws of chance of each.")] = 1,
        paired: Annotated[bool, typer.Option("--paired", help="First values with first values, second with second, instead of all combinations.")] = False,
        table: Annotated[str | None, typer.Option("--table", metavar="FILE", help="CSV: a row an option, a column a decision. It comes back filled in, in the folder.")] = None,
        out: Annotated[str | None, typer.Option("--out", metavar="FOLDER", help="Folder for the pictures, the table and the sheet; called again with it, the work goes on.")] = None,
        preview: Annotated[bool, typer.Option("--preview", help="Make drafts of all first, with a sheet of their own.")] = False,
        by: Annotated[str, typer.Option("--sort", metavar="TEXT", help="Sort the sheet by these decisions: 'light, role wall'.")] = "",
        crop: Annotated[str | None, typer.Option("--crop", metavar="X,Y", help="Show this part enlarged under each picture of the sheet; 'most' is where they differ most.")] = None,
        differences: Annotated[bool, typer.Option("--differences", help="Show on the sheet only what differs from the first.")] = False,
        proof: Annotated[bool, typer.Option("--proof/--no-proof", help="Prove every picture.")] = True,
        count: Annotated[bool, typer.Option("--count", help="Say how many there are, how long they take and how much room, and make none.")] = False,
        on: Annotated[str | None, typer.Option("--on", metavar="WHERE", help="Who does the work: a Dask scheduler as tcp://name:8786, or 'local:4' processes of this machine.")] = None,
        yes: Annotated[bool, typer.Option("--yes", help="Do not ask before long work.")] = False,
        like: LikeOption = None, as_json: JsonOption = False,
    ) -> int:  # fmt: skip
        """Make options: a source under all combinations of some decisions.

        What they share is worked out once. A run that was stopped goes on where it was.
        """
        from irodori.study.choosing.decisions import combined, read_decision, throws_of_chance
        from irodori.study.choosing.estimate import estimated
        from irodori.study.choosing.journal import Journal
        from irodori.study.choosing.table import read_table

        if (table is not None) == bool(vary or seeds != 1):
            raise _wrong("Say what is varied: --vary 'light: dawn | dusk', or --table options.csv, one of both")
        if table is not None:
            choices = read_table(table)
        else:
            throws = throws_of_chance(seeds, 7 if told.get("seed") is None else told["seed"])
            choices = combined([*map(read_decision, vary or ()), *throws], paired=paired)
        at = _place(crop)
        folder = out or "options"
        with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
            plan = _plan(source, choices, told, like)
            compiler.finish(progress)
            journal = Journal.of(_folder(folder))
            left = [option for option in plan if journal.made(option.file, option.key) is None]
            told_before = estimated(left, prove=proof, progress=progress)
        said = {"options": len(plan), "there already": len(plan) - len(left), "seconds": round(told_before.seconds), "megabytes": round(told_before.bytes / 1e6, 1)}  # fmt: skip
        if not as_json:
            say(_told_before(len(plan), told_before))
        if count:
            if as_json:
                say_json(said)
            return 0
        if told_before.seconds > ASK_ABOVE and not yes:
            _ask()
        if preview:
            drafts = _plan(source, choices, {**told, "quality": "draft"}, like)
            _make(drafts, f"{folder}/drafts", choices, on, proof, by, at, differences, as_json)
        answer = _make(plan, folder, choices, on, proof, by, at, differences, as_json)
        if as_json:
            say_json({**said, **answer})
        return 0 if all(row.get("in register", True) for row in answer["pictures"]) else 1


def _plan(source: str | None, choices: list[dict[str, str]], told: dict[str, Any], like: str | None):
    from irodori.core.recipe import Recipe
    from irodori.settings.project_file import find_project_file
    from irodori.study.choosing.plan import planned
    from irodori.study.job import check_source

    if source is None and like is None:
        raise _wrong("Say what to render: CAPTURE_OR_MODEL, or --like an earlier picture")
    if source is not None:
        check_source(source)
    return planned(source, choices, told, like=(like, Recipe.of(like)) if like else None, project=find_project_file())


def _make(
    plan, folder: str, choices, on: str | None, proof: bool, by: str, at, differences: bool, quiet: bool
) -> dict[str, Any]:
    """Make what is left, and write the table and the sheet."""
    from pathlib import Path

    from irodori.study.choosing.make import make_options
    from irodori.study.choosing.table import write_table

    made: dict[int, Made] = {}
    with progress_bar(quiet) as progress:
        if on is None:
            work = make_options(plan, folder, prove=proof, progress=progress)
        else:
            from irodori.study.choosing.elsewhere import make_options_on

            work = make_options_on(on, plan, folder, prove=proof, progress=progress)
        for one in work:
            made[one.option.number] = one
            say(_line(one, len(plan)), as_json=quiet)
    rows = [{"picture": made[option.number].path.name, **made[option.number].told} for option in plan]
    table = write_table(Path(folder) / "options.csv", choices, rows)
    sheets = _sheets([made[option.number] for option in plan], Path(folder), by, at, differences)
    for path in (table, *sheets):
        say(f"wrote {path}", as_json=quiet)
    return {"pictures": [{**row, **option.choices} for row, option in zip(rows, plan)], "table": str(table), "sheets": list(map(str, sheets))}  # fmt: skip


def _sheets(made: list[Made], folder, by: str, at, differences: bool) -> list:
    import numpy as np
    from PIL import Image

    from irodori.study.choosing.sheet import Shown, lay_out, most_different

    pictures = [np.asarray(Image.open(one.path).convert("RGB")) for one in made]
    if len({picture.shape for picture in pictures}) > 1:
        return []
    crop = most_different(pictures) if at == "most" else at
    shown = [Shown(picture, one.option.choices) for picture, one in zip(pictures, made)]
    names = [name.strip() for name in by.split(",") if name.strip()]
    sheet = lay_out(shown, title=folder.resolve().name, crop=crop, difference=differences, by=names)
    return [sheet.save(folder / f"sheet{suffix}") for suffix in (".png", ".pdf")]


def _line(one: Made, count: int) -> str:
    told = one.told
    if told.get("again"):
        return f"  {one.option.number} of {count}: {one.path.name} was there"
    proof = "" if "in register" not in told else ", in register" if told["in register"] else ", OUT OF REGISTER"
    return f"  {one.option.number} of {count}: wrote {one.path} ({told['seconds']:.1f} s{proof})"


def _told_before(count: int, told: Estimate) -> str:
    there = f", {count - told.pictures} of them there already" if told.pictures < count else ""
    if not told.pictures:
        return f"{count} options{there}"
    long = f"{told.seconds:.0f} s" if told.seconds < 90 else f"{told.seconds / 60:.0f} min"
    return f"{count} options{there}: about {long} on this machine, {told.bytes / 1e6:.0f} MB"


def _ask() -> None:
    if not sys.stdin.isatty():
        raise _wrong("That is long work; give --yes to do it, or --count to be told only")
    if not typer.confirm("Go on?"):
        raise typer.Exit()


def _place(crop: str | None):
    if crop is None or crop == "most":
        return crop
    try:
        x, y = (float(part) for part in crop.split(","))
    except ValueError:
        raise _wrong(f"--crop '{crop}' is no place; write X,Y in px, or 'most'") from None
    return x, y


def _folder(path: str):
    from irodori.formats.atomic import make_folder

    return make_folder(path)


def _wrong(text: str):
    from irodori.core.errors import IrodoriError

    return IrodoriError(text)
