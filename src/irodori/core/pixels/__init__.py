"""Measures of pictures that several stages share."""
