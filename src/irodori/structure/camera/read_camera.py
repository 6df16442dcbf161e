"""The camera of a capture over the world's origin, from its lines and what the user knows of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.camera import EYE_HEIGHT, Camera
from irodori.core.capture import Capture
from irodori.core.corrections import Corrections
from irodori.core.pixels.segments import find_segments
from irodori.structure.camera.correct_frame import correct_frame
from irodori.structure.camera.estimate import NOISE, FrameSearch, usual_focal
from irodori.structure.camera.frame import Frame
from irodori.structure.glance.glance import Glance

PARALLEL_SPAN = 24.0
"""Width, m, that a parallel view is taken to show where nothing tells its scale."""


def search_frames(capture: Capture, segments: np.ndarray) -> FrameSearch:
    """The cameras that the lines of a capture may tell."""
    lines = segments
    if capture.textured is not None and capture.kind != "finished":
        # Courses and boards run with the building; a photo's clouds and ripples do not.
        lines = np.concatenate([segments, find_segments(capture.textured)])
    return FrameSearch(lines, capture.size, noise=NOISE * (3.0 if capture.kind == "sketch" else 1.0))


def read_camera(
    frames: FrameSearch, segments: np.ndarray, size: tuple[int, int], given: Corrections, glance: Glance | None = None
) -> tuple[Camera, Frame, tuple[str, ...]]:  # fmt: skip
    """The camera over the world's origin, the frame it was told from, and what the lines do not tell."""
    notes: list[str] = []
    frame = frames.best(glance)
    if frame is not None:
        frame = replace(frame, label=frame.label[: len(segments)])
    if frame is None or frame.share < 0.25:
        notes.append(
            "The lines do not tell the camera; a level view of normal width is assumed: give horizon and focal"
        )
        frame = _level_frame(segments, usual_focal(size))
    elif not frame.observed and given.camera.focal is None:
        notes.append(
            "The focal length cannot be seen in this view; a normal lens is assumed: give focal, or two vanishing points"
        )
    frame = _world_frame(correct_frame(frame, given.camera, size))
    return camera_of(frame, size), frame, tuple(notes)


def _level_frame(segments: np.ndarray, focal: float) -> Frame:
    angle = np.radians(35.0)
    axes = np.array([[np.cos(angle), 0, np.sin(angle)], [-np.sin(angle), 0, np.cos(angle)], [0, -1.0, 0]])
    return Frame(focal, np.zeros(2), axes, np.full(len(segments), -1), 0.0, False)


def _world_frame(frame: Frame) -> Frame:
    """The same frame with its first axis east and its second north, so turned that the view heads nearest north."""
    a, b, up = frame.axes
    if np.cross(a, b) @ up < 0:
        b = -b
    turns = [(a, b, False), (b, -a, True), (-a, -b, False), (-b, a, True)]
    east, north, swapped = max(turns, key=lambda t: t[1][2])
    label = np.where(frame.label == 0, 1, np.where(frame.label == 1, 0, frame.label)) if swapped else frame.label
    return replace(frame, axes=np.stack([east, north, up]), label=label)


def through_lens(frame: Frame, focal: float) -> Frame:
    """The frame seen through a lens of another focal length, px, that leaves the vanishing point of what runs into the picture, and the
    way that uprights lean, where they are."""
    depth = int(np.argmax(np.abs(frame.axes[:2, 2])))
    ahead = frame.axes[depth] * np.sign(frame.axes[depth, 2])
    way = np.array([*(ahead[:2] / ahead[2] * frame.focal), focal])
    way /= np.linalg.norm(way)
    side = np.cross(way, frame.axes[2])
    side /= np.linalg.norm(side)
    axes = frame.axes.copy()
    axes[depth] = way * np.sign(frame.axes[depth, 2])
    axes[1 - depth] = side * np.sign(side @ frame.axes[1 - depth])
    axes[2] = np.cross(side, way) * np.sign(np.cross(side, way) @ frame.axes[2])
    return replace(frame, focal=focal, axes=axes)


def camera_of(frame: Frame, size: tuple[int, int]) -> Camera:
    """The camera over the world's origin."""
    projection = "parallel" if frame.make == "parallel" else "perspective"
    focal = frame.focal if projection == "perspective" else size[0] / PARALLEL_SPAN
    middle = frame.centre + np.array(size) / 2
    matrix = np.array([[focal, 0, middle[0]], [0, focal, middle[1]], [0, 0, 1.0]])
    return Camera(matrix, frame.axes.T.copy(), np.array([0.0, 0.0, EYE_HEIGHT]), projection, size)
