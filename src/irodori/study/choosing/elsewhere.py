"""Options made by other processes and machines: the same work, handed out by Dask."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

from irodori.core.errors import IrodoriError
from irodori.core.recipe import FromCapture, FromModel
from irodori.core.work.progress import Progress, report
from irodori.formats.atomic import whole_file
from irodori.study.choosing.make import Made, alike, begun, pictures
from irodori.study.choosing.plan import Option, files_of

PATIENCE = 10
"""Seconds until a scheduler must have answered."""

AGAIN = 4
"""How often a piece of work is tried again elsewhere."""


@dataclass(frozen=True, eq=False)
class _Piece:
    """Options that one worker makes, and where what they come from lay: digests by path."""

    options: tuple[Option, ...]
    inputs: dict[str, str]
    prove: bool


def make_options_on(
    where: str, options: Sequence[Option], folder: str | Path, *, prove: bool = True, progress: Progress | None = None
) -> Iterator[Made]:
    """As `make_options`, by the workers of a Dask scheduler, `where` being its address, or by "local:4" processes of this machine.

    Inputs travel to a worker once; pictures come back as they are done; what a lost worker had under way is made by another.

    Raises
    ------
    IrodoriError
        When Dask is not installed, no scheduler answers, or as the stages do.
    """
    journal, left, there = begun(options, folder)
    place = journal.folder
    yield from there
    if not left:
        return
    with _client(where) as client:
        from distributed import as_completed

        workers = max(1, sum(client.nthreads().values()))
        contents = {str(path): path.read_bytes() for option in left for path in files_of(option.job) if path.is_file()}
        digests = {path: hashlib.sha256(content).hexdigest() for path, content in contents.items()}
        held = {digests[path]: content for path, content in contents.items()}
        sent = client.scatter(held, broadcast=True, hash=False)
        pieces = [_Piece(tuple(own), digests, prove) for own in shares(left, workers)]
        known = {option.number: option for option in left}
        futures = [client.submit(_make_piece, piece, sent, pure=False, retries=AGAIN) for piece in pieces]
        done = 0
        for future in as_completed(futures):
            try:
                made = future.result()
            except IrodoriError:
                raise
            except Exception as error:
                raise IrodoriError(
                    f"The workers at '{where}' could not make it: {str(error).splitlines()[0]}"
                ) from None
            for number, content, told in made:
                option = known[number]
                with whole_file(place / option.file) as temporary:
                    temporary.write_bytes(content)
                done += 1
                report(progress, "Making options elsewhere", done / len(left))
                entry = journal.enter(option.file, option.key, choices=dict(option.choices), **told)
                yield Made(option, place / option.file, entry)


def _client(where: str):
    """A client of the scheduler at an address, or of one started here for "local:4". Raises IrodoriError."""
    try:
        from distributed import Client, LocalCluster
    except ImportError:
        raise IrodoriError('Other processes and machines need Dask: pip install "irodori[cluster]"') from None
    kind, _, count = where.partition(":")
    if kind == "local":
        if not count.isdigit() or not 1 <= int(count) <= 256:
            raise IrodoriError(f"'{where}' is no number of processes; write local:4")
        cluster = LocalCluster(
            n_workers=int(count), threads_per_worker=1, processes=True, dashboard_address=None, silence_logs=50
        )
        return Client(cluster)
    try:
        return Client(where, timeout=PATIENCE)
    except (OSError, ValueError) as error:
        raise IrodoriError(
            f"No scheduler answers at '{where}' ({type(error).__name__}); start one with 'dask scheduler', or give --on local:4"
        ) from None


def shares(options: Sequence[Option], workers: int) -> list[list[Option]]:
    """Options parted among workers: those of one dressing together, unless workers would stand idle."""
    pieces = alike(options, "dressed_as")
    most = len(options) if len(pieces) >= workers else max(1, -(-len(options) // workers))
    return [own[n : n + most] for own in pieces for n in range(0, len(own), most)]


def _make_piece(piece: _Piece, contents: dict[str, bytes]) -> list[tuple[int, bytes, dict[str, Any]]]:
    """Numbers, bytes and results of a piece's pictures; on a worker."""
    out = []
    with tempfile.TemporaryDirectory() as folder:
        here = {path: _laid(digest, Path(path).name, contents) for path, digest in piece.inputs.items()}
        moved = [replace(option, job=_moved(option.job, here)) for option in piece.options]
        for _, option, told in pictures(moved, prove=piece.prove, into=Path(folder)):
            out.append((option.number, (Path(folder) / option.file).read_bytes(), told))
    return out


@lru_cache(maxsize=1)
def _folder_of_inputs() -> tempfile.TemporaryDirectory:
    return tempfile.TemporaryDirectory(prefix="irodori-inputs-")


def _laid(digest: str, name: str, contents: dict[str, bytes]) -> Path:
    """Where a worker keeps an input, written once."""
    path = Path(_folder_of_inputs().name) / digest / name
    if not path.is_file():
        with whole_file(path) as temporary:
            temporary.write_bytes(contents[digest])
    return path


def _moved(job, here: dict[str, Path]):
    """A job whose inputs lie elsewhere; its pictures still tell where they lay at home."""
    source = job.recipe.source
    if isinstance(source, FromCapture):
        inputs = source.model_copy(update={
            "file": str(here.get(source.file, source.file)), "passes": {name: str(here.get(p, p)) for name, p in source.passes.items()},
        })  # fmt: skip
    elif isinstance(source, FromModel):
        inputs = source.model_copy(update={
            "files": tuple(str(here.get(p, p)) for p in source.files), "views": str(here[source.views]) if source.views in here else source.views,
        })  # fmt: skip
    else:
        inputs = (
            source.model_copy(update={"file": str(here.get(source.file, source.file))})
            if hasattr(source, "file")
            else source
        )
    return replace(job, recipe=job.recipe.but(source=inputs), called=source)
