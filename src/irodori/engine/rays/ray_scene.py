"""Ray queries against the scene's triangles, by Embree's general kernels or by our own where these are not to be had."""

from __future__ import annotations

import importlib.util
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TYPE_CHECKING, Protocol
from weakref import WeakKeyDictionary

import numpy as np

from irodori.core.errors import IrodoriError, unknown_name

if TYPE_CHECKING:
    from irodori.core.model import Mesh

KERNELS = ("embree", "own")

MANY = 500_000
"""Triangles from which they are prepared once, and what is added beside them."""


class Kernel(Protocol):
    """Triangles in a tree; N rays at once."""

    def closest(self, origins: np.ndarray, directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Distance (N,) float32 and triangle (N,) int32 of the nearest hit, inf and −1 for none."""
        ...

    def occluded(self, origins: np.ndarray, directions: np.ndarray, reach: np.ndarray) -> np.ndarray:
        """Whether anything lies within `reach`, (N,) bool."""
        ...


def usual_kernel() -> str:
    """Embree, unless it is not installed: it has no wheel for some machines."""
    return "embree" if importlib.util.find_spec("embreex") is not None else "own"


_chosen: ContextVar[str | None] = ContextVar("irodori_ray_kernel", default=None)


def present_kernel() -> str:
    """The kernel that ray scenes made now use."""
    return _chosen.get() or usual_kernel()


@contextmanager
def ray_kernel(name: str | None) -> Iterator[None]:
    """Make ray scenes with a kernel of `KERNELS`, None for the usual one. Raises IrodoriError."""
    if name is not None:
        check_kernel(name)
    mark = _chosen.set(name)
    try:
        yield
    finally:
        _chosen.reset(mark)


def check_kernel(name: str) -> None:
    """Raises IrodoriError when there is no such kernel, or it is not installed."""
    if name not in KERNELS:
        raise IrodoriError(unknown_name("ray kernel", str(name), KERNELS))
    if name == "embree" and usual_kernel() != "embree":
        raise IrodoriError("Embree's ray kernels are not installed here; take 'own', or install embreex")


class RayScene:
    """Triangles prepared for ray queries.

    Parameters
    ----------
    triangles
        (T, 3, 3) float32, metres.
    kernel
        One of `KERNELS`; None takes the present one.
    prepared
        What answers for them, where there is something already.
    """

    def __init__(self, triangles: np.ndarray, kernel: str | None = None, prepared: Kernel | None = None) -> None:
        self.triangles = np.ascontiguousarray(triangles, np.float32)
        self.kernel_name = kernel or present_kernel()
        self._asked: list[int] = []
        self._kernel: Kernel | None = prepared
        if len(self.triangles) and prepared is None:
            self._kernel = _make(self.kernel_name, self.triangles)

    @property
    def traced(self) -> int:
        """Rays asked for so far."""
        return sum(self._asked)

    def closest(self, origins: np.ndarray, directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Nearest hit: distance in units of the direction's length (N,) float32, triangle (N,) int32, −1 = none."""
        if self._kernel is None or not len(origins):
            return np.full(len(origins), np.inf, np.float32), np.full(len(origins), -1, np.int32)
        self._asked.append(len(origins))
        return self._kernel.closest(origins, directions)

    def occluded(self, origins: np.ndarray, directions: np.ndarray, reach: np.ndarray) -> np.ndarray:
        """Whether anything lies within `reach` (N,), bool. A negative reach asks nothing and answers False."""
        if self._kernel is None or not len(origins):
            return np.zeros(len(origins), bool)
        self._asked.append(len(origins))
        return self._kernel.occluded(origins, directions, np.maximum(reach, 0.0))


def _make(name: str, triangles: np.ndarray) -> Kernel:
    check_kernel(name)
    if name == "embree":
        from irodori.engine.rays.embree import EmbreeTriangles

        return EmbreeTriangles(triangles)
    from irodori.engine.rays.own_tree import OwnTree

    return OwnTree(triangles)


class _Both:
    """Triangles already prepared, and more after them: one query asks both."""

    def __init__(self, first: RayScene, more: np.ndarray) -> None:
        self._first, self._more = first, RayScene(more, first.kernel_name)

    def closest(self, origins: np.ndarray, directions: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        far, hit = self._first.closest(origins, directions)
        other, found = self._more.closest(origins, directions)
        nearer = (found >= 0) & ((hit < 0) | (other < far))
        return np.where(nearer, other, far), np.where(nearer, found + len(self._first.triangles), hit).astype(hit.dtype)

    def occluded(self, origins: np.ndarray, directions: np.ndarray, reach: np.ndarray) -> np.ndarray:
        hidden = self._first.occluded(origins, directions, reach)
        open_ = np.flatnonzero(~hidden)
        hidden[open_] = self._more.occluded(origins[open_], directions[open_], reach[open_])
        return hidden


_whole: WeakKeyDictionary[Mesh, RayScene] = WeakKeyDictionary()


def rays_of(mesh: Mesh) -> RayScene:
    """Ray scene of all triangles of a mesh, made once as long as the mesh is in use."""
    known = _whole.get(mesh)
    if known is None or known.kernel_name != present_kernel():
        known = _whole[mesh] = _prepared(mesh.triangles)
    return known


def _prepared(triangles: np.ndarray) -> RayScene:
    """Ray scene of triangles; where all but the last of many are prepared already, only these are added."""
    kernel = present_kernel()
    for known in sorted(_whole.values(), key=lambda scene: len(scene.triangles), reverse=True):
        count = len(known.triangles)
        if not MANY < count <= len(triangles) or known.kernel_name != kernel:
            continue
        if np.array_equal(known.triangles, triangles[:count]):
            return known if count == len(triangles) else RayScene(triangles, prepared=_Both(known, triangles[count:]))
    return RayScene(triangles)


_kept: list[tuple[np.ndarray, np.ndarray, str, RayScene, RayScene | None]] = []


def scene_rays(triangles: np.ndarray, solid: np.ndarray) -> tuple[RayScene, RayScene | None]:
    """Ray scenes of the triangles in `solid` (T,), and of the rest (glass); None where there is no rest.

    The last ones are kept: every light of a view uses the same.
    """
    kernel = present_kernel()
    for known, mask, name, without, rest in _kept:
        if name == kernel and (known is triangles or np.array_equal(known, triangles)) and np.array_equal(mask, solid):
            return without, rest
    without = _prepared(triangles if solid.all() else triangles[solid])
    rest = None if solid.all() else RayScene(triangles[~solid])
    _kept[:] = [(triangles, solid, kernel, without, rest)]
    return without, rest
