"""Commands that take settings: their options are made from where these are defined."""

from __future__ import annotations

import inspect
import typing
from collections.abc import Callable, Iterable
from typing import Annotated, Any

import typer

from irodori.cli.output import say, say_json
from irodori.settings.setting import Setting, of_groups

SourceArgument = Annotated[
    str, typer.Argument(metavar="CAPTURE_OR_MODEL", help="A picture, a model (glTF/GLB, OBJ, STL, PLY, COLLADA, 3MF, IFC, DXF, USD), or a saved structure (.exr).")
]  # fmt: skip
JsonOption = Annotated[bool, typer.Option("--json", help="Answer in JSON.")]
LikeOption = Annotated[
    str | None, typer.Option("--like", metavar="PICTURE", help="Decide all as for an earlier picture, or a recipe (.json); options given beside it win.")
]  # fmt: skip
ExplainBriefOption = Annotated[
    bool, typer.Option("--explain-brief", help="Say what the brief was understood as and where it acts, and render nothing.")
]  # fmt: skip
ExplainOption = Annotated[
    bool, typer.Option("--explain", help="List every value and where it comes from, and do nothing else.")
]  # fmt: skip


def takes(*groups: str, without: Iterable[str] = ()) -> Callable:
    """Give a command the options of whole groups of settings.

    The function's first parameter receives what was said, by the settings' names; its others are options of its own.
    """
    chosen = [one for one in of_groups(*groups) if one.name not in set(without)]

    def decorate(function: Callable) -> Callable:
        hints = typing.get_type_hints(function, include_extras=True)
        own = [
            parameter.replace(annotation=hints[name], kind=inspect.Parameter.POSITIONAL_OR_KEYWORD)
            for name, parameter in list(inspect.signature(function).parameters.items())[1:]
        ]

        def command(**given: Any) -> Any:
            told = {one.name: given.pop(_parameter_name(one)) for one in chosen}
            return function(told, **given)

        shared = [
            inspect.Parameter(
                _parameter_name(one), inspect.Parameter.POSITIONAL_OR_KEYWORD, default=None, annotation=_annotation(one)
            )
            for one in chosen
        ]  # fmt: skip
        first = [p for p in own if p.default is inspect.Parameter.empty]
        rest = [p for p in own if p.default is not inspect.Parameter.empty]
        command.__signature__ = inspect.Signature([*first, *shared, *rest])  # type: ignore[attr-defined]
        command.__annotations__ = {p.name: p.annotation for p in (*first, *shared, *rest)}
        command.__doc__, command.__name__ = function.__doc__, function.__name__
        command.settings = tuple(chosen)  # type: ignore[attr-defined]
        return command

    return decorate


def _parameter_name(one: Setting) -> str:
    return f"set_{one.key}"


def _annotation(one: Setting) -> Any:
    flags = [f"{one.flag}/--no-{one.flag[2:]}"] if one.off else [one.flag]
    kind = list[str] if one.kind is list else one.kind
    shown = str(one.default) if one.default not in (None, [], False, "") and one.kind is not bool else False
    metavar = one.metavar or METAVARS[one.kind]
    option = typer.Option(*flags, metavar=metavar, help=one.about, show_default=shown)
    return Annotated[kind | None, option]


METAVARS = {str: "NAME", int: "NUMBER", float: "NUMBER", list: "NAME", bool: None}


def explain(rows: list[tuple[str, str, str]], as_json: bool) -> None:
    """Every value and where it came from."""
    if as_json:
        say_json({"settings": [{"name": n, "value": v, "from": w} for n, v, w in rows]})
        return
    wide = max(len(name) for name, _, _ in rows)
    long = min(max(len(value) for _, value, _ in rows), 48)
    for name, value, whence in rows:
        say(f"{name:<{wide}}  {value if len(value) <= long else value[: long - 1] + '…':<{long}}  {whence}")
