"""Shared data and conventions; imports nothing of ours."""
