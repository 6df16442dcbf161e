"""irodori repeat: make a picture again from the recipe inside it."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption
from irodori.cli.output import progress_bar, say, say_json

EXAMPLE = """\b
Example:
  irodori repeat dusk.png --out dusk-again.png"""


def add_to(app: typer.Typer) -> None:
    @app.command("repeat", epilog=EXAMPLE)
    def repeat_command(
        picture: Annotated[str, typer.Argument(metavar="PICTURE", help="A picture that irodori made.")],
        capture: Annotated[str | None, typer.Option("--capture", metavar="FILE", help="Where its capture or model lies now.")] = None,
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="The new picture, of the same format.")] = None,
        differences: Annotated[bool, typer.Option("--allow-differences", help="Go on with another version or a changed capture.")] = False,
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Make a picture again, byte for byte, from the recipe inside it and its capture."""
        import filecmp
        import json

        from irodori.core.errors import OutputError
        from irodori.formats.atomic import check_writable
        from irodori.formats.write_image import check_suffix
        from irodori.study import repeat

        original = Path(picture)
        suffix = ".png" if original.suffix.lower() == ".json" else original.suffix
        target = Path(out) if out else original.with_name(f"{original.stem}-again{suffix}")
        if suffix and check_suffix(target) != suffix.lower():
            raise OutputError(f"'{target}' has another format than '{original}'; the same bytes need the same format")
        check_writable(target)
        with progress_bar(as_json) as progress:
            first_run.compile_all(as_json, progress)
            made = repeat(original, capture=capture, check=not differences, progress=progress)
            made.save(target, bits=made.recipe.output.bits, print_size=made.recipe.output.print_size)
        same = original.is_file() and filecmp.cmp(original, target, shallow=False)
        if as_json:
            say_json({"picture": str(target), "same_bytes": same, "recipe": json.loads(made.recipe.text)})
            return
        say(f"wrote {target}: " + ("the same, byte for byte" if same else f"differs from {original}"))
