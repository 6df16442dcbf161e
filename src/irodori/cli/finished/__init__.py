"""Commands that work on finished pictures."""
