"""irodori view: list a model's views and take captures from them."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from irodori.cli.command import JsonOption, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import resolved

EXAMPLE = """\b
Examples:
  irodori view landing.glb
  irodori view landing.glb --out captures
  irodori view landing.glb --view "eye level southwest" --style line --out captures
  irodori view landing.glb --save dressed.glb --finishes finishes.csv
  irodori view landing-shaded.png --save reading.glb"""


GROUPS = ("model", "north", "size")


def add_to(app: typer.Typer) -> None:
    @app.command("view", epilog=EXAMPLE)
    @takes(*GROUPS, without=("view",))
    def view(
        told: dict,
        model: Annotated[str, typer.Argument(metavar="MODEL", help="A model: glTF/GLB, OBJ, STL, PLY, COLLADA, 3MF, IFC, DXF or USD; with --save a capture too.")],
        views_wanted: Annotated[list[str] | None, typer.Option("--view", help="A view's name or intent; may be repeated.")] = None,
        style: Annotated[str, typer.Option("--style", help="How captures are drawn: shaded or line.")] = "shaded",
        out: Annotated[str | None, typer.Option("--out", metavar="FOLDER", help="Write captures here; without it, views are only listed.")] = None,
        save: Annotated[str | None, typer.Option("--save", metavar="FILE", help="Write the model as it was understood and dressed (.glb); of a capture, what was read of it.")] = None,
        finishes: Annotated[str | None, typer.Option("--finishes", metavar="FILE", help="Finish schedule for --save.")] = None,
        passes: Annotated[bool, typer.Option("--passes", help="Also write depth, normal and id passes (EXR).")] = False,
        as_json: JsonOption = False,
    ) -> None:  # fmt: skip
        """List a model's views, and write captures from them.

        A capture's file is called after the model and the view, so that taking it again replaces it. Without --view a sheet of the
        eight best views is drawn beside, each under the name that asks for it.
        """
        from irodori.capture import open_capture, open_model
        from irodori.capture.model.views import INTENTS
        from irodori.core.errors import ModelError, unknown_name
        from irodori.formats.read_image import SUFFIXES as PICTURES
        from irodori.settings.setting import of_groups

        if style not in ("shaded", "line"):
            raise ModelError(unknown_name("style", style, ("shaded", "line")))
        values = resolved([one for one in of_groups(*GROUPS) if one.name != "view"], told)
        if save is not None and Path(model).suffix.lower() in PICTURES:
            path = _save(open_capture(model), save, finishes, as_json)
            say_json({"model": model, "files": {"saved": [path]}}) if as_json else say(f"wrote {path}")
            return
        files = [model, *(values["with"] or [])]
        opened = open_model(files, up=values["up"], unit=values["unit"], north=values["north"], views=values["views"])
        wide, high = values.kept("size") or (None, None)
        for note in opened.notes:
            say(note, as_json=as_json)
        wanted = views_wanted or [v.name for v in opened.views]
        written: dict[str, list[str]] = {}
        if out is not None:
            with progress_bar(as_json) as progress:
                for name in wanted or [opened.default_view().name]:
                    capture = opened.view(
                        name,
                        width=values["width"] or wide,
                        height=values["height"] or high,
                        ground=values["ground"],
                        style=style,
                        compose=values["compose"],
                        cutaway=bool(values["cutaway"]),
                        progress=progress,
                    )
                    written[name] = _write(capture, Path(out), style, passes)
                if not views_wanted:
                    written["the best views"] = [_sheet(opened, Path(out), Path(model).stem, style)]
        if save is not None:
            written["saved"] = [_save(opened.view(width=320, ground=False), save, finishes, as_json)]
        data = {
            "model": model, "notes": list(opened.notes),
            "views": [{"name": v.name, "from": v.origin, "projection": "parallel" if v.span else "perspective"} for v in opened.views],
            "intents": list(INTENTS), "files": written,
        }  # fmt: skip
        if as_json:
            say_json(data)
            return
        if out is None and save is None:
            for v in opened.views:
                say(f"  {v.name:<20} {'parallel' if v.span else 'perspective'}, from the {v.origin}")
            say("By intent, each with a bearing if you like: " + ", ".join(INTENTS))
        for paths in written.values():
            for path in paths:
                say(f"wrote {path}")


def _save(capture, path: str, finishes: str | None, as_json: bool) -> str:
    """Write what a model's view, or a picture, was understood as, dressed."""
    from irodori.scene import dress
    from irodori.structure import read_structure
    from irodori.study.save_scene import save_scene

    scene = dress(read_structure(capture), finishes, "overcast", liberty=0.2)
    saved = save_scene(scene, path)
    say(f"  {saved.surfaces} surfaces in {saved.materials} materials, {saved.textures} textures baked", as_json=as_json)
    return str(saved.path)


def _sheet(opened, folder: Path, name: str, style: str) -> str:
    """The best views on a sheet, to choose from."""
    import numpy as np

    from irodori.core.colour import encode_srgb
    from irodori.formats.write_image import write_image
    from irodori.study.contact_sheet import contact_sheet

    taken = [(spec.name, opened.view(spec, width=420, height=262, style=style)) for spec in opened.best_views()]
    pictures = [(told, np.rint(encode_srgb(c.image) * 255).clip(0, 255).astype(np.uint8)) for told, c in taken]
    path = folder / f"{name}-views.png"
    write_image(path, contact_sheet(pictures))
    return str(path)


def _write(capture, folder: Path, style: str, passes: bool) -> list[str]:
    import numpy as np

    from irodori.core.colour import encode_srgb
    from irodori.formats.exr import write_exr
    from irodori.formats.write_image import write_image

    path = folder / f"{capture.name}{'-line' if style == 'line' else ''}.png"
    write_image(path, np.rint(encode_srgb(capture.image) * 255).clip(0, 255).astype(np.uint8))
    written = [str(path)]
    if passes:
        exact = capture.exact
        path = folder / f"{capture.name}-passes.exr"
        channels = {"Z": exact.depth, "id": exact.regions.astype(np.uint32)}
        channels |= {f"normal.{a}": np.ascontiguousarray(exact.normal[..., i]) for i, a in enumerate("XYZ")}
        write_exr(path, channels)
        written.append(str(path))
    return written
