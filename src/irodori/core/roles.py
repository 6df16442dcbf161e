"""Roles: what a surface is."""

from __future__ import annotations

import re

ROLES = (
    "sky", "context", "ground", "paving", "lawn", "water", "planting", "wall", "column", "slab", "stair",
    "roof", "soffit", "ceiling", "floor", "glazing", "frame", "door", "railing", "furniture", "fabric",
    "lamp", "sign", "person", "vehicle", "other",
)  # fmt: skip

ROLE_WORDS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("lamp", ("lamp", "light", "pendant", "luminaire", "bulb", "lantern")),
    ("glazing", ("glass", "glazing", "pane", "window")),
    ("sign", ("sign", "lettering", "board sign")),
    ("door", ("door", "gate")),
    ("frame", ("mullion", "transom", "frame", "fascia", "gutter", "trim")),
    ("railing", ("rail", "railing", "baluster", "balustrade", "banister", "handrail", "guardrail", "bollard", "cleat")),
    ("water", ("water", "lake", "pool", "river", "sea")),
    ("planting", ("tree", "birch", "reed", "shrub", "hedge", "leaf", "leaves", "trunk", "plant", "bush")),
    ("lawn", ("lawn", "grass", "meadow", "turf")),
    ("paving", ("paving", "pavement", "quay", "deck", "decking", "path", "terrace", "pontoon", "sett", "kerb")),
    ("stair", ("stair", "step", "ramp")),
    ("column", ("column", "pillar", "post", "pile", "beam", "joist", "rafter", "truss", "purlin")),
    ("soffit", ("soffit",)),
    ("ceiling", ("ceiling",)),
    ("roof", ("roof", "roofing", "shingle", "seam")),
    ("floor", ("floor", "flooring")),
    ("slab", ("slab", "plinth", "foundation", "sill")),
    ("context", ("neighbour", "context", "backdrop", "hill")),
    ("fabric", ("fabric", "curtain", "cushion", "sail", "awning")),
    ("furniture", ("bench", "table", "chair", "counter", "furniture", "shelf", "seat", "crate", "rack")),
    ("vehicle", ("boat", "car", "bicycle", "ferry", "hull", "vehicle")),
    ("person", ("person", "people", "figure")),
    ("ground", ("ground", "terrain", "earth", "sand", "gravel", "shore", "bank")),
    ("wall", ("wall", "cladding", "facade", "brick", "gable", "render", "boarding")),
)  # fmt: skip


_LEAF = re.compile(r"\b(doors?|gates?|windows?|casements?) +lea(?:f|ves)\b")
_PATTERNS = [(role, re.compile(r"\b(?:" + "|".join(words) + r")(?:s|es)?\b")) for role, words in ROLE_WORDS]


def role_from_words(*texts: str) -> str | None:
    """The role that an object's or material's name suggests, or None. Earlier texts count first.

    The last word that means something decides, as the head of a name does in English.

    >>> role_from_words("hall roof east", "zinc"), role_from_words("boat shed wall"), role_from_words("sign panel 2")
    ('roof', 'wall', 'sign')
    >>> role_from_words("door leaf 2"), role_from_words("birch leaves")
    ('door', 'planting')
    >>> role_from_words("gangway railing"), role_from_words("gangway decking")
    ('railing', 'paving')
    """
    for text in texts:
        # The leaf of a door is no plant's.
        folded = _LEAF.sub(r"\1", re.sub(r"[_\-.\d]", " ", text.casefold()))
        best, end = None, -1
        for role, pattern in _PATTERNS:
            for match in pattern.finditer(folded):
                if match.end() > end:
                    best, end = role, match.end()
        if best:
            return best
    return None
