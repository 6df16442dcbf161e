"""irodori recipe: every decision that made a picture, or how two pictures differ in theirs."""

from __future__ import annotations

import json
from typing import Annotated

import typer

from irodori.cli.command import JsonOption
from irodori.cli.output import say, say_json

EXAMPLE = """\b
Examples:
  irodori recipe dusk.png
  irodori recipe dusk.png noon.png
  irodori recipe dusk.png --out dusk.json"""


def add_to(app: typer.Typer) -> None:
    @app.command("recipe", epilog=EXAMPLE)
    def recipe_command(
        picture: Annotated[str, typer.Argument(metavar="PICTURE", help="A picture that irodori made, or a recipe (.json).")],
        other: Annotated[str | None, typer.Argument(metavar="[OTHER]", help="Another one: say how their decisions differ.")] = None,
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="Write the recipe alone (.json); 'irodori render --like' takes it.")] = None,
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Show every decision that made a picture, or how two pictures differ in theirs."""
        from irodori.core.errors import OutputError
        from irodori.core.recipe import Recipe
        from irodori.formats.atomic import check_writable

        if out is not None:
            if not out.casefold().endswith(".json"):
                raise OutputError(f"A recipe is written as .json, not '{out}'")
            check_writable(out)
        recipe = Recipe.of(picture)
        if other is not None:
            differences = recipe.difference(Recipe.of(other))
            if as_json:
                say_json({"pictures": [picture, other], "differences": differences})
            elif differences:
                for line in differences:
                    say(line)
            else:
                say("Every decision is the same")
        elif as_json:
            say_json(json.loads(recipe.text))
        else:
            for name, text in recipe.told():
                say(f"{name:<20} {text}")
        if out is not None:
            recipe.save(out)
            if not as_json:
                say(f"wrote {out}")
