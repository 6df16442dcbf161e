"""irodori walk: a moving picture from a camera that goes through a model."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli.command import JsonOption, LikeOption, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import job_of, resolved
from irodori.settings.setting import COMING_IN

EXAMPLE = """\b
Examples:
  irodori walk landing.glb --view landing --orbit 20 --frames 2 --width 320 --quality draft --out orbit.webp
  irodori walk landing.glb --along "-10,-20,1.7; 0,-14,1.7; 8,-9,1.7" --look "0,4,2.5" --frames 6 --width 640 --quality draft --out walk.webp"""

GROUPS = (*COMING_IN, "dressing", "light", "quality", "developing")


def add_to(app: typer.Typer) -> None:
    @app.command("walk", epilog=EXAMPLE)
    @takes(*GROUPS)
    def walk_command(
        told: dict,
        source: Annotated[str, typer.Argument(metavar="MODEL", help="A model.")],
        out: Annotated[str, typer.Option("--out", metavar="FILE", help="The moving picture: .webp, .png, .gif; .mp4 and .webm where an encoder is installed.")],
        along: Annotated[str | None, typer.Option("--along", metavar="TEXT", help="The camera's way: 'x,y,z; x,y,z; …' in metres.")] = None,
        look: Annotated[str | None, typer.Option("--look", metavar="X,Y,Z", help="What it looks at; without it, ahead.")] = None,
        orbit: Annotated[float | None, typer.Option("--orbit", metavar="DEGREES", help="Instead: go round what the view looks at.")] = None,
        frames: Annotated[int, typer.Option("--frames", metavar="NUMBER", help="How many.")] = 60,
        rate: Annotated[float, typer.Option("--rate", metavar="NUMBER", help="Frames a second.")] = 12.0,
        keep: Annotated[str | None, typer.Option("--keep-frames", metavar="FOLDER", help="Write the frames as pictures, too.")] = None,
        like: LikeOption = None, as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """Move the camera through a model: along a path, or round what a view looks at."""
        from irodori.capture import open_model
        from irodori.capture.model.views import find_view
        from irodori.core.errors import ModelError
        from irodori.formats.animation import check_animation, write_animation
        from irodori.formats.atomic import make_folder
        from irodori.settings.setting import of_groups
        from irodori.study.moving import moving, orbited, read_path, read_point, walked

        check_animation(out)
        if (along is None) == (orbit is None):
            raise ModelError("Say how the camera moves: --along 'x,y,z; x,y,z' or --orbit 90, one of both")
        if not 1 <= rate <= 100:
            raise ModelError(f"{rate:g} frames a second are out of range; give 1 to 100")
        values = resolved(of_groups(*GROUPS), told, like)
        job = job_of(values, source, like)
        folder = None if keep is None else make_folder(keep)
        shown = []
        with progress_bar(as_json) as progress, first_run.compiling(as_json) as compiler:
            chosen = job.recipe.source
            if not hasattr(chosen, "files"):
                raise ModelError(f"'{source}' is no model; a camera moves through a model")
            model = open_model(
                list(chosen.files), up=chosen.up, unit=chosen.unit, north=chosen.north, views=chosen.views
            )
            view = find_view(model.data, chosen.view) if chosen.view else model.default_view()
            views = (
                orbited(view, orbit, frames)
                if along is None
                else walked(view, read_path(along), frames, read_point(look) if look else None)
            )
            compiler.finish(progress)
            for number, picture in enumerate(moving(job, views, progress=progress), 1):
                shown.append(picture.developed)
                if folder is not None:
                    picture.save(folder / f"{number:04d}.png")
            write_animation(out, shown, 1 / rate)
        if as_json:
            say_json({"animation": out, "frames": len(shown), "seconds": len(shown) / rate})
            return
        say(f"wrote {Path(out)} ({len(shown)} frames, {len(shown) / rate:.1f} s)")
