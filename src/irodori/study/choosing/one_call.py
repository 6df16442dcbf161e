"""Options in one call."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from irodori.core.errors import IrodoriError
from irodori.core.recipe import Recipe
from irodori.core.scene import Scene
from irodori.core.work.progress import Progress
from irodori.picture import Picture
from irodori.settings.project_file import find_project_file
from irodori.settings.setting import find_setting
from irodori.study.choosing.decisions import Decision, combined, decision_of, read_decision, throws_of_chance
from irodori.study.choosing.make import Made, make_options, pictures
from irodori.study.choosing.plan import planned
from irodori.study.job import check_source

Vary = Mapping[str, Sequence[Any]] | Sequence[str]


def options(
    source: str | Path | Scene | None = None, vary: Vary | Sequence[Mapping[str, str]] = (), *, like: str | Path | Picture | Recipe | None = None,
    paired: bool = False, seeds: int = 1, folder: str | Path | None = None, on: str | None = None, prove: bool = False,
    project: str | Path | None = None, progress: Progress | None = None, **told: Any,
) -> Iterator[Made]:  # fmt: skip
    """A source under all combinations of some decisions, each picture as soon as it is there.

    What options share is worked out once; every picture is the same, byte for byte, as one made by itself.

    Parameters
    ----------
    source
        A capture, a model, a saved structure, or a dressed scene; None takes that of `like`.
    vary
        Values by decision, as `{"light": ["dawn", "dusk"], "finish role wall": ["red brick", "white render"]}`; the same as texts,
        `["light: dawn | dusk", "exposure: -1 to 1 in 5"]`; or what every option chooses, as `read_table` gives it.
    like
        An earlier picture, its file or its recipe: all is decided as for it, but for what is told beside it.
    paired
        First values with first values, instead of all combinations.
    seeds
        As many throws of chance of each.
    folder
        Where pictures are written, and what a run that was stopped left is found; None writes none.
    on
        Who does the work: the address of a Dask scheduler, or "local:4" processes of this machine; needs `folder`.
    prove
        Prove each picture, and tell what the proof found.
    project
        The folder whose `irodori.toml` holds; None for none at all.
    told
        Settings by name, as for `make`.

    Raises
    ------
    IrodoriError
        When a decision or a value is unknown, before any work, or as the stages say.

    Examples
    --------
    >>> for one in options("landing-shaded.png", ["light: noon | dusk"], quality="draft"):  # doctest: +SKIP
    ...     print(one.option.choices, one.picture.size)
    """
    choices = _choices(vary, seeds, told.get("seed", 7), paired)
    given = {find_setting(name).name: str(v) if isinstance(v, Path) else v for name, v in told.items()}
    earlier = None if like is None else (str(like), Recipe.of(like))
    structure = None
    if isinstance(source, Scene):
        # What was decided for the scene holds; its structure is there already.
        structure, earlier, source = source.structure, ("the scene", source.recipe), None
        if on is not None:
            raise IrodoriError("A scene in memory does not travel; give the file that it was read from")
    if source is None and earlier is None:
        raise IrodoriError(
            "Say what to render: a capture, a model, a saved structure or a scene, or what it is to be like"
        )
    if source is not None:
        check_source(source)
    file = find_project_file(project) if project is not None else None
    plan = planned(None if source is None else str(source), choices, given, like=earlier, project=file)
    if on is not None:
        from irodori.study.choosing.elsewhere import make_options_on

        if folder is None:
            raise IrodoriError("Pictures made elsewhere are written here; say where with folder")
        yield from make_options_on(on, plan, folder, prove=prove, progress=progress)
    elif folder is not None:
        yield from make_options(plan, folder, prove=prove, structure=structure, progress=progress)
    else:
        for picture, option, found in pictures(plan, progress, prove=prove, structure=structure):
            yield Made(option, None, found, picture)


def _choices(vary: Any, seeds: int, seed: int, paired: bool) -> list[dict[str, str]]:
    throws = throws_of_chance(seeds, seed)
    if isinstance(vary, str):
        vary = [vary]
    if not isinstance(vary, Mapping) and vary and all(isinstance(one, Mapping) for one in vary):
        return [dict(one) for one in vary]
    decisions: list[Decision] = (
        [decision_of(name, [values] if isinstance(values, str) else values) for name, values in vary.items()]
        if isinstance(vary, Mapping)
        else [read_decision(text) for text in vary]
    )
    return combined([*decisions, *throws], paired=paired)
