"""irodori words: what can be said in a brief, and what could be said next."""

from __future__ import annotations

import contextlib
from pathlib import Path
from typing import Annotated

import typer

from irodori.cli.command import JsonOption
from irodori.cli.output import progress_bar, say, say_json

EXAMPLE = """\b
Examples:
  irodori words                                  # subjects
  irodori words material                         # one of them
  irodori words landing-shaded.png               # what can be said about this picture
  irodori words --complete "zinc roof, charred ti"
  irodori words --expand "charred timber hall, zinc roof"
  irodori words --describe dusk.png"""


def add_to(app: typer.Typer) -> None:
    @app.command("words", epilog=EXAMPLE)
    def words_command(
        about: Annotated[str | None, typer.Argument(metavar="[SUBJECT_OR_CAPTURE]", help="A subject of the vocabulary, or a capture or model.")] = None,
        unfinished: Annotated[str | None, typer.Option("--complete", metavar="TEXT", help="Ways in which half a brief may go on.")] = None,
        short: Annotated[str | None, typer.Option("--expand", metavar="TEXT", help="A short brief as three fuller ones; [what was added] is marked.")] = None,
        picture: Annotated[str | None, typer.Option("--describe", metavar="PICTURE", help="The brief that would give a picture's light, mood and materials.")] = None,
        seed: Annotated[int, typer.Option("--seed", metavar="NUMBER", help="Other directions for --expand.")] = 7,
        language: Annotated[str, typer.Option("--language", metavar="CODE", help="en or de.")] = "en",
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """What can be said in a brief."""
        from irodori.core.errors import BriefError

        if sum(x is not None for x in (about, unfinished, short, picture)) > 1:
            raise BriefError("One question at a time: a subject or a capture, --complete, --expand or --describe")
        if unfinished is not None:
            _complete(unfinished, language, as_json)
        elif short is not None:
            _expand(short, seed, as_json)
        elif picture is not None:
            _describe(picture, as_json)
        elif about is not None and (Path(about).suffix or Path(about).exists()):
            _about_capture(about, as_json)
        else:
            _vocabulary(about, language, as_json)


def _complete(text: str, language: str, as_json: bool) -> None:
    from irodori.brief.offer import complete

    found = complete(text, language_code=language)
    if as_json:
        say_json({"completions": found})
    for line in [] if as_json else found:
        say(line)


def _expand(text: str, seed: int, as_json: bool) -> None:
    from irodori.brief.offer import expand

    found = expand(text, seed)
    if as_json:
        say_json({"briefs": [{"text": e.text, "direction": e.direction, "added": list(e.added)} for e in found]})
        return
    for one in found:
        say(f"{one.direction}:\n  {one.marked}")


def _describe(path: str, as_json: bool) -> None:
    from dataclasses import asdict

    from irodori.brief.describe import describe
    from irodori.core.errors import RecipeError
    from irodori.core.recipe import Recipe
    from irodori.formats.read_image import read_image

    told = describe(read_image(path).rgb)
    decided = ""
    with contextlib.suppress(RecipeError):
        decided = Recipe.of(path).light.name
    if as_json:
        say_json({"brief": told.brief, "recipe_light": decided, **asdict(told)})
        return
    say(told.brief)
    say(
        f"  light: {told.light}{', brighter ' + told.sun if told.sun else ''}; contrast {told.contrast}; sky {told.sky}"
    )
    if decided:
        say(f"  by its recipe: {decided}")
    for shade in told.palette:
        say(
            f"  {shade.colour}  {shade.share:4.0%}  {shade.name}{': ' + ', '.join(shade.materials) if shade.materials else ''}"
        )


def _vocabulary(subject: str | None, language: str, as_json: bool) -> None:
    from irodori.brief.offer import SUBJECTS, vocabulary

    rows = vocabulary(subject, language)
    if as_json:
        say_json({"words": [{"subject": s, "means": m, "words": w.split(", ")} for s, m, w in rows]})
        return
    if subject is None:
        for name, about in SUBJECTS.items():
            count = sum(len(words.split(", ")) for s, _, words in rows if s == name)
            say(f"  {name:<10} {count:4d} phrases  {about}")
        return
    for _, means, words in rows:
        say(f"  {means}\n      {words}")


def _about_capture(source: str, as_json: bool) -> None:
    from irodori.cli import first_run
    from irodori.cli.work import job_of, resolved
    from irodori.scene.asked.sayable import sayable
    from irodori.settings.setting import COMING_IN, PICTURE, of_groups

    job = job_of(resolved(of_groups(*COMING_IN, *PICTURE), {}), source)
    with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
        structure = job.read(job.open(progress), progress)
        compiler.finish(progress)
        rows = sayable(structure)
    if as_json:
        say_json({"phrases": [{"phrase": p, "surfaces": n, "area_m2": round(a, 1)} for p, n, a in rows]})
        return
    for phrase, count, area in rows:
        say(f"  {phrase:<44} {f'{count} surfaces, {area:.1f} m²' if count else ''}".rstrip())
