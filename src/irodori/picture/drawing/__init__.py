"""What drawn looks are made of: outlines, hatching and marks as paths, the tone that they have to reach, paper, and the media that lay
them down.

Everything is drawn from what is known of a picture (`irodori.picture.buffers.Buffers`), nothing from its developed pixels, so that
edges stay where they are. Lengths are those of a sheet whose longer side is `SHEET` mm: a drawing is the same at any size, only
finer.
"""

SHEET = 420.0
"""mm: the longer side of the sheet that a picture is drawn on (ISO 216, A3)."""
