"""Finishes: the catalogue, the patterns that draw them, and the finish schedule."""

from irodori.finishes.catalogue import FINISHES, Finish, find_finish, read_catalogue
from irodori.finishes.schedule import Rule, Schedule, read_schedule

__all__ = ["FINISHES", "Finish", "Rule", "Schedule", "find_finish", "read_catalogue", "read_schedule"]
