"""Making options: all that can be shared is shared, and each picture is written as soon as it is there."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irodori.core.work.progress import Progress
from irodori.engine.rays.ray_scene import ray_kernel
from irodori.formats.atomic import make_folder, whole_file
from irodori.picture.render import render_lights
from irodori.study.choosing.journal import Journal
from irodori.study.choosing.plan import Option

if TYPE_CHECKING:
    from irodori.core.capture import Capture
    from irodori.core.scene import Scene
    from irodori.core.structure import Structure
    from irodori.picture import Picture

    Traced = tuple[Picture, Option, Scene, Capture | Structure]
    """An option's picture before anything is done to it, its scene, and what it is proved against."""

    Finished = tuple[Picture, Option, dict[str, Any]]
    """An option's picture as it is to be, and what is told of it."""

    Written = Callable[[Option, dict[str, Any]], None]
    """What is called when an option's picture was written."""

BESIDE = 2
"""Pictures that are developed, written and proved at a time while the next are traced: more would fill the memory."""


@dataclass(frozen=True)
class Made:
    """An option with its picture's file, and what is told of it: "seconds" it took, "in register", "proof", "again" where it was
    there already. `picture` is None then."""

    option: Option
    path: Path | None
    told: dict[str, Any] = field(default_factory=dict)
    picture: Picture | None = None


def make_options(
    options: Sequence[Option], folder: str | Path, *, prove: bool = True, structure: Structure | None = None,
    progress: Progress | None = None,
) -> Iterator[Made]:  # fmt: skip
    """Make what is not there yet of some options, each told of as soon as it is written; what was made comes first.

    Options of one structure share its reading, those of one dressing share rays and what these meet, those of one light are traced
    once. Every picture is the same, byte for byte, as one made by itself. A run that was stopped goes on where it was. What `structure`
    holds is not read again.

    Raises
    ------
    IrodoriError
        As the stages do.
    """
    journal, left, there = begun(options, folder)
    yield from there

    def enter(option: Option, told: dict[str, Any]) -> None:
        journal.enter(option.file, option.key, choices=dict(option.choices), **told)

    for picture, option, told in pictures(
        left, progress, prove=prove, structure=structure, into=journal.folder, written=enter
    ):
        entry = journal.add(option.file, seconds=told["seconds"])
        yield Made(option, journal.folder / option.file, entry, picture)


def begun(options: Sequence[Option], folder: str | Path) -> tuple[Journal, list[Option], list[Made]]:
    """The journal of a folder, which options are left to be made, and those whose pictures lie there already, under whatever name."""
    place = make_folder(folder)
    journal = Journal.of(place)
    journal.clear(option.file for option in options)
    left, there = [], []
    for option in options:
        entry = journal.made(option.file, option.key)
        other = None if entry else journal.elsewhere(option.key)
        if other is not None:
            with whole_file(place / option.file) as temporary:
                temporary.write_bytes((place / other).read_bytes())
            kept = {k: v for k, v in journal.entries[other].items() if k not in ("key", "sha256", "choices")}
            entry = journal.enter(option.file, option.key, choices=dict(option.choices), **kept)
        if entry is None:
            left.append(option)
        else:
            there.append(Made(option, place / option.file, {**entry, "again": True}))
    return journal, left, there


def pictures(
    options: Sequence[Option], progress: Progress | None = None, *, prove: bool = False, structure: Structure | None = None,
    into: Path | None = None, written: Written | None = None,
) -> Iterator[Finished]:  # fmt: skip
    """Pictures of options, written `into` a folder if one is given, each with the "seconds" that it took beyond those before it, a "note" of
    what found no surface, and, if it was to `prove`, what was found; in the order in which work is shared. `written` is called for each as soon
    as its file is there, whichever comes first, and on another thread.

    While light is traced on, pictures are developed, written and proved beside it, a few at a time.
    """
    began = time.perf_counter()
    for picture, option, told in _beside(_traced(options, progress, structure), prove, into, written):
        yield picture, option, told | {"seconds": round(time.perf_counter() - began, 2)}
        began = time.perf_counter()


def _beside(traced: Iterable[Traced], prove: bool, into: Path | None, written: Written | None) -> Iterator[Finished]:
    """Pictures finished a few at a time while the next ones are traced, in their order."""
    under_way: deque[Future[Finished]] = deque()
    with ThreadPoolExecutor(BESIDE, thread_name_prefix="irodori-done") as pool:
        for one in traced:
            under_way.append(pool.submit(copy_context().run, finished, *one, prove, into, written))
            while len(under_way) > BESIDE or (under_way and under_way[0].done()):
                yield under_way.popleft().result()
        yield from (future.result() for future in under_way)


def _traced(options: Sequence[Option], progress: Progress | None, structure: Structure | None) -> Iterator[Traced]:
    """Options' pictures before anything is done to them, with their scenes and what they are proved against."""
    for structures in alike(options, "read_as"):
        job = structures[0].job
        with ray_kernel(job.recipe.rays or None):
            shown = structure or job.open(progress)
            read = structure or job.read(shown, progress)
            for dressed in alike(structures, "dressed_as"):
                dressing = dressed[0].job.dressing(read)
                for quality in alike(dressed, "quality"):
                    # Options of one light stand together, and are traced once.
                    own = [option for lit in alike(quality, "traced_as") for option in lit]
                    scenes = [option.job.under(dressing) for option in own]
                    made = render_lights(scenes, own[0].job.recipe.quality, progress=progress)
                    yield from zip(made, own, scenes, [shown] * len(own))


def finished(
    picture: Picture, option: Option, scene: Scene, shown: Capture | Structure, prove: bool, into: Path | None,
    written: Written | None = None,
) -> Finished:  # fmt: skip
    """A picture drawn in its option's look, with all that is done to it, proved and written."""
    recipe = option.job.recipe
    done = option.job.finish(picture if picture.recipe.look == recipe.look else picture.as_look(recipe.look))
    told: dict[str, Any] = {"note": "; ".join(scene.unmatched)} if scene.unmatched else {}
    if prove:
        told |= proved(shown, done)
    if into is not None:
        done.save(into / option.file, bits=recipe.output.bits, print_size=recipe.output.print_size)
        if written is not None:
            written(option, told)
    return done, option, told


def alike(options: Iterable[Option], name: str) -> list[list[Option]]:
    """Options in groups that are alike in something, in the order in which the groups begin."""
    groups: dict[str, list[Option]] = {}
    for option in options:
        key = option.job.recipe.quality if name == "quality" else getattr(option, name)
        groups.setdefault(key, []).append(option)
    return list(groups.values())


def proved(reference: Capture | Structure, picture: Picture) -> dict[str, Any]:
    """What the proof of a picture finds."""
    from irodori.proof import prove

    report = prove(reference, picture)
    return {
        "in register": report.in_register, "edge recall": round(report.edge_recall, 4), "drift": round(report.drift["median"], 4),
    }  # fmt: skip
