"""Irodori: client-ready renderings from what a designer already has, with proof that nothing moved.

>>> import irodori as iro
>>> iro.__version__
'0.1.0'
"""

from __future__ import annotations

import importlib

from irodori.core.work import late

__version__ = "0.1.0"

_HOME = {
    "irodori.brief": ("Brief", "understand"),
    "irodori.brief.describe": ("describe",),
    "irodori.brief.offer": ("complete", "expand", "vocabulary"),
    "irodori.capture": ("open_capture", "open_model", "Model"),
    "irodori.core.camera": ("Camera",),
    "irodori.core.capture": ("Capture",),
    "irodori.core.corrections": ("Corrections",),
    "irodori.core.errors": ("IrodoriError",),
    "irodori.core.model": ("ViewSpec",),
    "irodori.core.recipe": ("MassChange", "Recipe"),
    "irodori.core.scene": ("Light", "Scene"),
    "irodori.core.structure": ("Structure",),
    "irodori.entourage": ("ENTOURAGE", "EntourageList", "Entry", "read_entourage"),
    "irodori.finishes": ("FINISHES", "Finish", "Rule", "Schedule", "read_catalogue", "read_schedule"),
    "irodori.core.selectors": ("Selector", "parse_selector"),
    "irodori.light": ("LAMPS", "LIGHTS", "WEATHERS", "make_light", "read_lamps"),
    "irodori.light.lamps": ("Lamp", "LampRule", "LampSchedule", "make_lamp"),
    "irodori.picture": ("Picture", "render"),
    "irodori.picture.finished": ("FinishedPicture",),
    "irodori.picture.buffers": ("Buffers",),
    "irodori.picture.lens": ("Lens",),
    "irodori.picture.looks": ("look", "looks"),
    "irodori.proof": ("Registration", "prove"),
    "irodori.scene": ("dress",),
    "irodori.structure": ("read_corrections", "read_structure", "write_corrections"),
    "irodori.study": ("change", "enlarge", "make", "options", "relight", "repeat", "rich_progress", "series", "take_apart", "touch_up"),
    "irodori.study.save_scene": ("save_scene",),
    "irodori.study.catalogues": (
        "entourage_table", "finishes_table", "lamps_table", "lights_table", "looks_table", "weathers_table",
    ),
}  # fmt: skip
"""Where each public name lives; `__init__.pyi` says the same to type checkers."""

_MODULE_OF = {name: module for module, names in _HOME.items() for name in names}
__all__ = ["__version__", *sorted(_MODULE_OF)]

for _task, _module, _function in (
    ("save structure", "irodori.formats.structure_file", "save_structure"),
    ("load structure", "irodori.formats.structure_file", "load_structure"),
    ("encode png", "irodori.formats.write_image", "encode_png"),
    ("read recipe", "irodori.formats.recipe_text", "read_recipe"),
    ("save recipe", "irodori.formats.recipe_text", "save_recipe"),
    ("save picture layers", "irodori.picture.layers_file", "save_layers"),
    ("load picture layers", "irodori.picture.layers_file", "load_layers"),
    ("say where", "irodori.scene.asked.where", "where_it_acts"),
    ("find steps", "irodori.study.steps", "find_steps"),
    ("step change", "irodori.study.steps", "change"),
    ("step relight", "irodori.study.steps", "relight"),
    ("step touch up", "irodori.study.steps", "touch_up"),
    ("step enlarge", "irodori.study.steps", "enlarge"),
    ("show roles", "irodori.structure.show.preview", "draw_preview"),
    ("show confidence", "irodori.structure.show.confidence", "draw_doubts"),
):
    late.register(_task, _module, _function)


def __getattr__(name: str):
    # Heavy rooms load on first use, so that `import irodori` stays quick.
    if name in _MODULE_OF:
        value = getattr(importlib.import_module(_MODULE_OF[name]), name)
        globals()[name] = value
        return value
    raise AttributeError(f"module 'irodori' has no attribute '{name}'")


def __dir__() -> list[str]:
    return sorted(__all__)
