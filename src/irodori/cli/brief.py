"""Saying back what a brief was understood as."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from irodori.cli.output import say, say_json

if TYPE_CHECKING:
    from irodori.brief import Brief
    from irodori.core.scene import Scene


def brief_rows(brief: Brief, scene: Scene) -> list[dict[str, Any]]:
    """Phrase, decision, where it acts and what is to be told of it, of all that was said; plain data."""
    from irodori.scene.asked import of_decisions

    rows = []
    for decision, done in zip(brief.decisions, of_decisions(brief, scene.acted)):
        notes = [
            *decision.notes,
            *([decision.overruled] if decision.overruled else []),
            *([done.note] if done and done.note else []),
        ]
        rows.append({
            "phrase": decision.phrase, "decision": decision.line, "surfaces": len(done.surfaces) if done else 0,
            "area_m2": round(done.area, 1) if done else 0.0, "done": not decision.overruled and (done is None or done.done),
            "whole": decision.is_whole, "note": "; ".join(notes),
        })  # fmt: skip
    for unknown in brief.unknown:
        rows.append(
            {
                "phrase": unknown.phrase,
                "decision": "not understood",
                "surfaces": 0,
                "area_m2": 0.0,
                "done": False,
                "whole": False,
                "note": unknown.note,
            }
        )
    return rows


def say_brief(rows: list[dict[str, Any]], as_json: bool = False) -> None:
    """The table of a brief."""
    if as_json:
        say_json({"brief": rows})
        return
    from rich import box
    from rich.console import Console
    from rich.table import Table

    table = Table(box=box.SIMPLE_HEAD, pad_edge=False)
    for heading in ("phrase", "decision", "where it acts", "to be told"):
        table.add_column(heading, overflow="fold")
    for row in rows:
        where = (
            f"{row['surfaces']} surfaces, {row['area_m2']:g} m²"
            if row["surfaces"]
            else "the whole picture"
            if row["whole"] and row["done"]
            else ""
        )
        table.add_row(
            row["phrase"],
            row["decision"]
            if row["done"]
            else f"not done: {row['decision']}".replace("not done: not understood", "not understood"),
            where,
            row["note"],
            style="" if row["done"] else "yellow",
        )
    Console(highlight=False).print(table)


def say_what_is_not_done(rows: list[dict[str, Any]]) -> None:
    """A line for each phrase that did not become part of the picture."""
    done = sum(row["done"] for row in rows)
    say(f"  brief: {done} of {len(rows)} phrases done; --explain-brief tells all")
    for row in rows:
        if not row["done"]:
            what = "not understood" if row["decision"] == "not understood" else f"not done ({row['decision']})"
            say(f"  brief: '{row['phrase']}' {what}: {row['note']}")
