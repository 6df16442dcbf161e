"""Roles: what a surface is, and what names say of it."""

from irodori.core.roles.from_words import role_from_words, species_from_words
from irodori.core.roles.roles import ROLES

__all__ = ["ROLES", "role_from_words", "species_from_words"]
