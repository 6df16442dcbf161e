"""From light to pictures: developing, saving."""

from irodori.picture.picture import Picture
from irodori.picture.render import render

__all__ = ["Picture", "render"]
