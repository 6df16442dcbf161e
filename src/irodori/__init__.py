"""Irodori: client-ready renderings from what a designer already has, with proof that nothing moved.

>>> import irodori as iro
>>> iro.__version__
'0.1.0'
"""

from __future__ import annotations

import importlib

__version__ = "0.1.0"

_HOME = {
    "open_capture": "irodori.capture",
    "open_model": "irodori.capture",
    "Model": "irodori.capture",
    "read_structure": "irodori.structure",
    "dress": "irodori.scene",
    "render": "irodori.picture",
    "repeat": "irodori.study",
    "series": "irodori.study",
    "Picture": "irodori.picture",
    "prove": "irodori.proof",
    "Registration": "irodori.proof",
    "Structure": "irodori.core.structure",
    "Camera": "irodori.core.camera",
    "Capture": "irodori.core.capture",
    "ViewSpec": "irodori.core.model",
    "IrodoriError": "irodori.core.errors",
    "FINISHES": "irodori.finishes",
    "LIGHTS": "irodori.light",
    "LAMPS": "irodori.light",
    "ENTOURAGE": "irodori.entourage",
}
__all__ = ["__version__", *_HOME]


def __getattr__(name: str):
    # Heavy rooms load on first use, so that `import irodori` stays quick.
    if name in _HOME:
        value = getattr(importlib.import_module(_HOME[name]), name)
        globals()[name] = value
        return value
    raise AttributeError(f"module 'irodori' has no attribute '{name}'")


def __dir__() -> list[str]:
    return sorted(__all__)
