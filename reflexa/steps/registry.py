"""Every kind of step. A kind is a module (or package) of this folder that has a ``KIND``: it is found by being there."""

from __future__ import annotations

from functools import cache
from typing import Any

import msgspec

from reflexa import plugins
from reflexa.errors import RecipeError
from reflexa.steps.model import Settings, StepKind

KINDS: dict[str, StepKind] = {}
# Names that kinds had in older versions → those of today.
OLDER: dict[str, str] = {}


def register(kind: StepKind) -> StepKind:
    """Take a kind into the list: panel, card, command, command line, schema and reference are made from what it says.

    Raises ValueError where one of that name is there already.
    """
    plugins.put(KINDS, kind.kind, kind, lambda k: k.place)
    OLDER.update(dict.fromkeys(kind.was, kind.kind))
    return kind


def kind_of(name: str, place: str = "") -> StepKind:
    """The kind of that name, or of that older name. Raises RecipeError with the known ones."""
    name = OLDER.get(name, name)
    if name not in KINDS:
        raise RecipeError(f"there is no step {name!r}", place=place, advice=f"Known: {', '.join(KINDS)}.")
    return KINDS[name]


@cache
def fields(settings: type[Settings]) -> tuple[msgspec.inspect.Field, ...]:
    """The typed fields of a settings type, with their metadata, for panels and descriptions made from them."""
    info = msgspec.inspect.type_info(settings)
    assert isinstance(info, msgspec.inspect.StructType)
    return info.fields


def describe(kind: StepKind) -> dict[str, Any]:
    """A kind with its settings, units, ranges and defaults, as plain data."""
    defaults = msgspec.to_builtins(kind.settings())
    return {
        "kind": kind.kind,
        "title": kind.title,
        "help": kind.help,
        "settings": [{**describe_field(f), "default": defaults[f.name]} for f in fields(kind.settings)],
    }


def describe_field(field: msgspec.inspect.Field) -> dict[str, Any]:
    """Name, type, title, help, unit, range and choices of one setting."""
    t: Any = field.type
    out: dict[str, Any] = {"name": field.name}
    meta: dict[str, Any] = {}
    if isinstance(t, msgspec.inspect.Metadata):
        meta = {**(t.extra_json_schema or {}), **(t.extra or {})}
        t = t.type
    kind = type(t).__name__.removesuffix("Type").lower()
    out["type"] = {"tuple": "numbers", "vartuple": "list", "str": "text", "union": "text"}.get(kind, kind)
    if isinstance(t, msgspec.inspect.LiteralType):
        out["type"], out["choices"] = "choice", list(t.values)
    for bound in ("ge", "le"):
        if getattr(t, bound, None) is not None:
            out[{"ge": "least", "le": "most"}[bound]] = getattr(t, bound)
    out["title"] = meta.get("title", field.name.replace("_", " "))
    out["help"] = meta.get("description", "")
    for extra in ("unit", "file", "choose", "when", "zero"):
        if extra in meta:
            out[extra] = meta[extra]
    return out


for _kind in plugins.exported("reflexa.steps", "KIND", StepKind):
    register(_kind)
