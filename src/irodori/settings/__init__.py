"""What can be told: every option, defined once for commands, for `irodori.toml` and for Python.

Defining them loads nothing heavy, so that `irodori --help` is there at once: what a check needs is imported by the check.
"""
