"""From light to pictures: developing, saving, repeating."""

from irodori.picture.picture import Picture
from irodori.picture.render import render
from irodori.picture.repeat import repeat

__all__ = ["Picture", "render", "repeat"]
