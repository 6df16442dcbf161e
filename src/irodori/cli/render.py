"""irodori render: the main job."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import Annotated

import typer

from irodori.cli import first_run
from irodori.cli import source as s
from irodori.cli.output import file_word, progress_bar, say, say_json

EXAMPLE = """\b
Examples:
  irodori render landing-shaded.png --light dusk --out dusk.png
  irodori render landing.glb --view landing --finishes finishes.csv --out landing.png
  irodori render landing.glb --light "golden hour, after rain" --balance "lamps 1.5"
  irodori render landing.glb --light "2026-06-21 18:30+02:00 @ 46.5, 8.1" --quality draft"""

BALANCED = ("sun", "sky", "lamps", "reflections")
OPTICS = ("vignette", "grain", "aperture", "focus", "upright")


def add_to(app: typer.Typer) -> None:
    @app.command("render", epilog=EXAMPLE)
    def render_command(
        source: s.SourceArgument,
        view: s.ViewOption = None,
        finishes: Annotated[str | None, typer.Option("--finishes", metavar="FILE", help="Finish schedule, CSV or TOML; without it finishes go by role, the rest as found.")] = None,
        light: Annotated[str, typer.Option("--light", metavar="NAME", help="A named light, or 'DATE TIME @ LATITUDE, LONGITUDE'; a comma and a weather may follow.")] = "golden hour",
        quality: Annotated[str, typer.Option("--quality", help="draft, review or final.")] = "review",
        out: Annotated[str | None, typer.Option("--out", metavar="FILE", help="PNG, TIFF, JPEG, WebP, or EXR for the linear layers.")] = None,
        lamps: Annotated[str | None, typer.Option("--lamps", metavar="FILE", help="Lamp schedule, CSV or TOML: where, lamp, lumens, kelvin, distribution (an IES file). Without it lamps go by their names.")] = None,
        entourage: Annotated[str | None, typer.Option("--entourage", metavar="FILE", help="What to add where: planting, people, vehicles; CSV or TOML, see 'irodori entourage'.")] = None,
        season: Annotated[str, typer.Option("--season", help="spring, summer, autumn or winter, for the planting.")] = "summer",
        placed: Annotated[str | None, typer.Option("--placed", metavar="FILE", help="Write the additions with their places in the world, as a list to edit and use in any view.")] = None,
        exposure: Annotated[float, typer.Option("--exposure", metavar="STOPS", help="Brighter or darker than metered.")] = 0.0,
        balance: Annotated[str | None, typer.Option("--balance", metavar="TEXT", help="Sources of light, dimmed or raised after tracing: 'sun 0.8, lamps 1.5'; also sky and reflections.")] = None,
        lens: Annotated[str | None, typer.Option("--lens", metavar="TEXT", help="'aperture 2.8, focus 6, vignette 0.4, grain 0.3'; 'upright' sets verticals upright and moves geometry.")] = None,
        seed: Annotated[int, typer.Option("--seed", help="What all chance in the picture depends on.")] = 7,
        bits: Annotated[int, typer.Option("--bits", help="8, or 16 for PNG and TIFF.")] = 8,
        proof: Annotated[bool, typer.Option("--proof/--no-proof", help="Prove afterwards that nothing moved.")] = True,
        others: s.WithOption = None, views: s.ViewsOption = None, up: s.UpOption = None, unit: s.UnitOption = None,
        north: s.NorthOption = 0.0, width: s.WidthOption = None, height: s.HeightOption = None,
        ground: s.GroundOption = None, depth: s.DepthOption = None, normal: s.NormalOption = None,
        identity: s.IdOption = None, near: s.NearOption = None, far: s.FarOption = None, kind: s.KindOption = None,
        as_is: s.AsIsOption = False, keep: s.KeepOption = None, remove: s.RemoveOption = None,
        eye_height: s.EyeOption = None, length: s.LengthOption = None,
        corrections: s.CorrectionsOption = None, rules_only: s.RulesOption = False, as_json: s.JsonOption = False,
    ) -> int:  # fmt: skip
        """Render a capture or a model's view.

        The geometry stays where it is, to the pixel; the proof that it did is printed with the picture.
        """
        given = s.Source(
            source, view, others or [], views, up, unit, north, width, height, ground,
            s.passes_of(depth, normal, identity), near, far, kind, as_is, keep, remove,
        )  # fmt: skip
        shares, optics = _balance(balance), _lens(lens)
        given.check()
        _check_early(finishes, lamps, entourage, season, placed, light, quality, out, bits)
        answer = render_source(
            given, finishes=finishes, lamps=lamps, entourage=entourage, season=season, placed=placed, light=light, quality=quality,
            out=out, exposure=exposure, seed=seed, bits=bits, proof=proof, eye_height=eye_height, length=length,
            corrections=corrections, learned=not rules_only, balance=shares, lens=optics, quiet=as_json,
        )  # fmt: skip
        if as_json:
            say_json(answer)
        else:
            say_answer(answer)
        return 0 if answer["proof"] is None or answer["proof"]["in_register"] else 1


def _check_early(finishes, lamps, entourage, season, placed, light, quality, out, bits) -> None:
    """Whatever can be wrong is said before the long work begins. Raises IrodoriError."""
    from irodori.core.errors import OutputError, unknown_name
    from irodori.engine.trace import EFFORTS
    from irodori.entourage import read_entourage
    from irodori.entourage.catalogue import check_season
    from irodori.finishes import read_schedule
    from irodori.formats.atomic import check_writable
    from irodori.formats.write_image import check_suffix
    from irodori.light import find_setting, read_lamps

    if placed is not None:
        check_writable(placed)
    if out is not None:
        suffix = check_suffix(out)
        check_writable(out)
        if bits == 16 and suffix not in (".png", ".tif", ".tiff"):
            raise OutputError(f"16 bits need PNG or TIFF, not '{suffix}'")
    if bits not in (8, 16):
        raise OutputError(f"A picture has 8 or 16 bits a channel, not {bits}")
    if quality not in EFFORTS:
        raise OutputError(unknown_name("quality", quality, EFFORTS))
    check_season(season)
    find_setting(light)
    read_schedule(finishes)
    read_entourage(entourage)
    read_lamps(lamps)


def _balance(text: str | None) -> dict[str, float]:
    """ "sun 0.8, lamps 1.5" as factors. Raises IrodoriError."""
    from irodori.core.errors import IrodoriError

    shares = _numbers(text, "source of light", BALANCED, "lamps 1.5")
    for name, value in shares.items():
        if not 0 <= value < 1e6:
            raise IrodoriError(f"{name} {value:g} is no factor; give 0 or more")
    return shares


def _lens(text: str | None) -> dict[str, float | bool]:
    """ "aperture 2.8, focus 6, upright" as a lens's settings. Raises IrodoriError."""
    from irodori.picture.lens import Lens

    parts = [p.strip() for p in (text or "").split(",")]
    settings: dict = _numbers(",".join(p for p in parts if p != "upright"), "setting of a lens", OPTICS, "aperture 2.8")
    if "upright" in parts:
        settings["upright"] = True
    Lens(**settings)
    return settings


def _numbers(text: str | None, kind: str, known: tuple[str, ...], example: str) -> dict[str, float]:
    from irodori.core.errors import IrodoriError, unknown_name

    found: dict[str, float] = {}
    for part in filter(None, (p.strip() for p in (text or "").split(","))):
        name, _, value = part.partition(" ")
        if name not in known:
            raise IrodoriError(unknown_name(kind, name, known))
        try:
            found[name] = float(value)
        except ValueError:
            raise IrodoriError(f"'{part}' is not understood; write a name and a number like '{example}'") from None
    return found


def render_source(
    given: s.Source, *, finishes=None, lamps=None, entourage=None, season="summer", placed=None, light="golden hour", quality="review", out=None, exposure=0.0, seed=7, bits=8,
    proof=True, eye_height=None, length=None, corrections=None, learned=True, balance=None, lens=None, quiet=False,
) -> dict:  # fmt: skip
    """Open, read, dress, render, save and prove; what came out, as plain data."""
    from irodori.formats.atomic import whole_file
    from irodori.picture import render
    from irodori.proof import prove
    from irodori.scene import dress
    from irodori.scene.additions import placed_list
    from irodori.structure import read_structure

    with progress_bar(quiet) as progress, first_run.compiling(quiet) as compiler:
        capture = given.open(progress)
        given_by_hand = s.corrections_of(capture, corrections, length)
        compiler.help(progress)
        structure = read_structure(
            capture, eye_height=eye_height, corrections=given_by_hand, learned=learned, progress=progress
        )
        compiler.finish(progress)
        scene = dress(
            structure, finishes, light, lamps=lamps, entourage=entourage, season=season, exposure=exposure, seed=seed
        )
        picture = render(scene, quality, progress=progress)
        if balance:
            picture = picture.rebalanced(**balance)
        report = None
        if lens:
            # Setting verticals upright moves everything: what is proved is the picture before.
            upright = lens.get("upright", False)
            report = prove(capture, picture, progress=progress) if proof and upright else None
            picture = picture.through_lens(**lens)
        target = picture.save(Path(out or f"{capture.name}-{file_word(scene.light.name)}.png"), bits=bits)
        if placed is not None:
            with whole_file(placed) as temporary:
                temporary.write_text(placed_list(scene.shown.listed), encoding="utf-8")
        if proof and report is None:
            report = prove(capture, picture, progress=progress)
    return {
        "picture": str(target), "size": list(structure.size), "light": scene.light.name, "quality": quality,
        "additions": list(scene.shown.listed),
        "finishes": sorted({a["finish"] for a in scene.assignments}), "unmatched": list(scene.unmatched),
        "notes": list(dict.fromkeys((*capture.removed, *capture.notes, *structure.notes))),
        "proof": report.as_dict() if report else None,
    }  # fmt: skip


def say_answer(answer: dict) -> None:
    """What `render_source` found, for people."""
    for note in answer["notes"]:
        say(f"  {note}")
    for rule in answer["unmatched"]:
        say(f"  schedule: {rule}")
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
