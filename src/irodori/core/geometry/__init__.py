"""Directions, solids and measures of triangles."""
