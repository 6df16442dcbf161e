"""Elevations and plans: drawn without depth."""
