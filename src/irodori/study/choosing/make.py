"""Making options: all that can be shared is shared, and each picture is written as soon as it is there."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator, Sequence
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
    from irodori.core.structure import Structure
    from irodori.picture import Picture


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
    for picture, option, told in pictures(left, progress, prove=prove, structure=structure):
        path = written(picture, option, journal.folder, told)
        yield Made(option, path, journal.enter(option.file, option.key, choices=dict(option.choices), **told), picture)


def written(picture: Picture, option: Option, folder: Path, told: dict[str, Any]) -> Path:
    """Write an option's picture into a folder; what that took is added to the "seconds" that are told of it."""
    began = time.perf_counter()
    output = option.job.recipe.output
    path = picture.save(folder / option.file, bits=output.bits, print_size=output.print_size)
    told["seconds"] = round(told["seconds"] + time.perf_counter() - began, 2)
    return path


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
    options: Sequence[Option], progress: Progress | None = None, *, prove: bool = False, structure: Structure | None = None
) -> Iterator[tuple[Picture, Option, dict[str, Any]]]:  # fmt: skip
    """Pictures of options, each with the "seconds" that it took beyond those before it, a "note" of what found no surface, and, if it was
    to `prove`, what was found; in the order in which work is shared."""
    began = time.perf_counter()
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
                    for picture, option, scene in zip(made, own, scenes):
                        look = option.job.recipe.look
                        drawn = picture if picture.recipe.look == look else picture.as_look(look)
                        done = option.job.finish(drawn, progress)
                        told = {"note": "; ".join(scene.unmatched)} if scene.unmatched else {}
                        if prove:
                            told |= proved(shown, done, progress)
                        told["seconds"] = time.perf_counter() - began
                        yield done, option, told
                        began = time.perf_counter()


def alike(options: Iterable[Option], name: str) -> list[list[Option]]:
    """Options in groups that are alike in something, in the order in which the groups begin."""
    groups: dict[str, list[Option]] = {}
    for option in options:
        key = option.job.recipe.quality if name == "quality" else getattr(option, name)
        groups.setdefault(key, []).append(option)
    return list(groups.values())


def proved(reference: Capture | Structure, picture: Picture, progress: Progress | None = None) -> dict[str, Any]:
    """What the proof of a picture finds."""
    from irodori.proof import prove

    report = prove(reference, picture, progress=progress)
    return {
        "in register": report.in_register, "edge recall": round(report.edge_recall, 4), "drift": round(report.drift["median"], 4),
    }  # fmt: skip
