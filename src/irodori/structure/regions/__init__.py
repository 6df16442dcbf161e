"""Regions: the areas that must not move, found, grown, joined and measured."""
