"""Units of length that files and dimensions may be in. Five factors: a library for units would weigh more than it saves."""

METRES = {"m": 1.0, "cm": 0.01, "mm": 0.001, "ft": 0.3048, "in": 0.0254}
"""m of one unit."""
