"""irodori render: the main job."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from irodori.cli import first_run
from irodori.cli.brief import brief_rows, say_brief, say_what_is_not_done
from irodori.cli.command import ExplainBriefOption, ExplainOption, JsonOption, LikeOption, explain, takes
from irodori.cli.output import progress_bar, say, say_json
from irodori.cli.work import job_of, light_word, resolved
from irodori.settings.setting import COMING_IN, PICTURE

if TYPE_CHECKING:
    from irodori.settings.values import Values
    from irodori.study.job import Job

EXAMPLE = """\b
Examples:
  irodori render landing-shaded.png --light dusk --out dusk.png
  irodori render landing.glb --view landing --finishes finishes.csv --out landing.png
  irodori render landing.glb --light "golden hour, after rain" --balance "lamps 1.5"
  irodori render landing.glb --light "2026-06-21 18:30+02:00 @ 46.5, 8.1" --quality draft
  irodori render --like landing.png --light noon --out noon.png
  irodori render landing.glb --light dusk --mask door.png --over landing.png --out new-door.png"""

OnlyOption = Annotated[
    str | None, typer.Option("--mask", metavar="FILE", help="Change only what is painted white here; with --over.")
]  # fmt: skip
OverOption = Annotated[
    str | None, typer.Option("--over", metavar="PICTURE", help="The picture, made here, in which that is changed; its exposure is kept.")
]  # fmt: skip


def add_to(app: typer.Typer) -> None:
    @app.command("render", epilog=EXAMPLE)
    @takes(*COMING_IN, *PICTURE)
    def render_command(
        told: dict,
        source: Annotated[str | None, typer.Argument(metavar="[CAPTURE_OR_MODEL]", help="A picture, a model (glTF/GLB, OBJ, STL, PLY, COLLADA, 3MF, IFC, DXF, USD), or a saved structure (.exr).")] = None,
        like: LikeOption = None, mask: OnlyOption = None, over: OverOption = None, shown: ExplainOption = False,
        explain_brief: ExplainBriefOption = False, as_json: JsonOption = False,
    ) -> int:  # fmt: skip
        """Render a capture or a model's view.

        The geometry stays where it is, to the pixel; the proof that it did is printed with the picture.
        """
        from irodori.core.errors import IrodoriError

        if (mask is None) != (over is None):
            raise IrodoriError("A change needs both --mask and --over: where, and in which picture")
        base = like or (over if source is None else None)
        values = resolved(render_command_settings, told, base)
        job = job_of(values, source, base)
        check_output(values, job.recipe.look)
        if shown:
            explain(values.explained(), as_json)
            return 0
        if explain_brief:
            say_brief(brief_of_job(job, as_json), as_json)
            return 0
        answer = render_job(job, values, mask=mask, over=over, quiet=as_json)
        if as_json:
            say_json(answer)
        else:
            say_answer(answer)
        return 0 if answer["proof"] is None or answer["proof"]["in_register"] else 1

    from irodori.settings.setting import of_groups

    render_command_settings = of_groups(*COMING_IN, *PICTURE)


def check_output(values: Values, look: str) -> None:
    """Whether bits and format go together. Raises OutputError."""
    from irodori.core.errors import OutputError
    from irodori.formats.vector_file import VECTORS
    from irodori.picture.look_choice import is_photographic, read_look
    from irodori.settings.known.going_out import check_bits

    suffix = Path(values["out"]).suffix.lower() if values["out"] else values.kept("format")
    if suffix in VECTORS and is_photographic(read_look(look)):
        raise OutputError(
            f"A photographic picture has no strokes to write as '{suffix}'; give a drawn look, such as --look 'pen and ink'"
        )
    if values.kept("print size") and is_photographic(read_look(look)):
        raise OutputError("Only drawings are drawn anew for a print; give a drawn look, or a larger --width")
    bits = values["bits"]
    if values.was_told("bits") or values["out"]:
        check_bits(bits if bits is not None else 8, suffix)


def brief_of_job(job: Job, quiet: bool = False) -> list[dict[str, Any]]:
    """What a brief comes to on what comes in, without rendering it. Raises BriefError when there is none."""
    from irodori.core.errors import BriefError

    if job.brief is None:
        raise BriefError("There is no brief to explain; give one with --brief")
    with progress_bar(quiet) as progress, first_run.compiling(quiet) as compiler:
        structure = job.read(job.open(progress), progress)
        compiler.finish(progress)
        scene = job.dress(structure)
    return brief_rows(job.brief, scene)


def render_job(
    job: Job, values: Values, *, mask: str | None = None, over: str | None = None, called: str = "", quiet: bool = False
) -> dict[str, Any]:  # fmt: skip
    """Open, read, dress, render, save and prove; what came out, as plain data. `called`: what the picture is called after, in place of
    what comes in."""
    from irodori.core.work.progress import report as report_stage
    from irodori.formats.atomic import whole_file
    from irodori.picture import render
    from irodori.proof import prove
    from irodori.scene.additions import placed_list
    from irodori.study import repeat

    told = job.recipe
    with progress_bar(quiet) as progress, first_run.compiling(quiet) as compiler:
        capture = job.open(progress)
        compiler.help(progress)
        structure = job.read(capture, progress)
        compiler.finish(progress)
        report = None
        if over is not None:
            below = repeat(over, progress=progress)
            scene = job.dress(structure)
            picture = render(scene, told.quality, only=mask, over=below, progress=progress)
        else:
            scene = job.dress(structure)
            picture = render(scene, told.quality, look=told.look, progress=progress)
            if told.lens.upright and values["proof"]:
                # Setting verticals upright moves everything: what is proved is the picture before.
                report = prove(capture, picture, progress=progress)
            picture = job.finish(picture, progress)
        name = (
            values["out"] or f"{called or capture.name}-{light_word(scene.light.name)}{values.kept('format') or '.png'}"
        )
        if picture.is_drawn:
            report_stage(progress, "Drawing", 0.0)
        target = picture.save(Path(name), bits=told.output.bits, print_size=told.output.print_size)
        if values["placed"] is not None:
            with whole_file(values["placed"]) as temporary:
                temporary.write_text(placed_list(scene.shown.listed), encoding="utf-8")
        if values["proof"] and report is None:
            report = prove(capture, picture, progress=progress)
    return {
        "picture": str(target), "size": list(structure.size), "light": scene.light.name, "quality": told.quality,
        "additions": list(scene.shown.listed),
        "finishes": sorted({a["finish"] for a in scene.assignments}), "unmatched": list(scene.unmatched),
        "notes": list(dict.fromkeys((*capture.removed, *capture.notes, *structure.notes))),
        "proof": report.as_dict() if report else None,
        "brief": brief_rows(job.brief, scene) if job.brief is not None else [],
    }  # fmt: skip


def say_answer(answer: dict) -> None:
    """What `render_job` found, for people."""
    for note in answer["notes"]:
        say(f"  {note}")
    for rule in answer["unmatched"]:
        if not rule.startswith("brief: "):
            say(f"  schedule: {rule}")
    if answer.get("brief"):
        say_what_is_not_done(answer["brief"])
    say_additions(answer["additions"])
    width, height = answer["size"]
    say(f"wrote {answer['picture']} ({width} × {height}, {answer['light']}, {answer['quality']})")
    if answer["proof"]:
        say(proof_line(answer["proof"]))


def say_additions(listed: list[dict]) -> None:
    """How many of each kind stand, and what was left out or trimmed."""
    standing = Counter(item["what"] for item in listed if not item["state"].startswith("left out"))
    if standing:
        say("  added: " + ", ".join(f"{count} × {what}" for what, count in standing.items()))
    spoken = Counter(
        f"{item['mark'] + ' ' if item['mark'] else ''}{item['what']}: {item['state']}"
        for item in listed
        if item["state"] != "placed"
    )
    for line, count in list(spoken.items())[:12]:
        say(f"  {line}" + (f" ({count} of them)" if count > 1 else ""))


def proof_line(report: dict) -> str:
    """The proof in one line."""
    verdict = "in register" if report["in_register"] else "OUT OF REGISTER"
    line = (
        f"{verdict}: {100 * report['edge_recall']:.1f} % of edges within 1 px, "
        f"drift {report['drift']['median']:.3f} px (median), {report['drift']['p95']:.2f} px (95 %)"
    )
    return line + "".join(f"\n  {reason}" for reason in report["reasons"])
