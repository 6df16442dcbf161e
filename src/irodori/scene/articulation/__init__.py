"""What high liberty draws inside plain surfaces: patterns in their own colour, and members before them."""

from irodori.scene.articulation.members import Members, members_of
from irodori.scene.articulation.patterns import articulate

__all__ = ["Members", "articulate", "members_of"]
