"""irodori looks: what pictures can be drawn as."""

from __future__ import annotations

import typer

from irodori.cli.command import JsonOption
from irodori.cli.output import say, say_json

EXAMPLE = """\b
Example:
  irodori looks"""


def add_to(app: typer.Typer) -> None:
    @app.command("looks", epilog=EXAMPLE)
    def looks_command(as_json: JsonOption = False) -> None:
        """List the looks that pictures can be drawn in."""
        from irodori.picture.looks import looks

        if as_json:
            say_json({"looks": [{"name": one.name, "about": one.about} for one in looks().values()]})
            return
        for one in looks().values():
            say(f"  {one.name:<20} {one.about}")
