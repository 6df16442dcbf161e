"""Mirrors, water, gloss and glass."""
