"""Pages about the public Python library, made of docstrings: what a module is for, and each of its functions and classes."""

from __future__ import annotations

import importlib
import inspect
import re
import textwrap
from dataclasses import fields, is_dataclass
from types import ModuleType
from typing import Any

import msgspec

# Houses of the public library, and the modules in each that other people's code may hold on to.
PUBLIC: dict[str, tuple[str, ...]] = {
    "motion": (
        "skeleton", "clip", "quat", "kinematics", "resample", "stances", "curves", "springs", "cycle", "mixing", "compare",
    ),
    "rig": ("", "foot_rest", "soles", "match", "joint_roles"),
    "formats": ("",),
    "steps": ("",),
    "take": ("", "recipe", "fitting"),
    "checks": ("",),
}  # fmt: skip
_LONG = 100


def modules(house: str) -> list[ModuleType]:
    """The public modules of a house; the house itself goes by an empty name."""
    return [importlib.import_module(f"reflexa.{house}.{m}".rstrip(".")) for m in PUBLIC[house]]


def pages() -> dict[str, str]:
    """Markdown by file name: one page a house, and one that leads to them."""
    out = {f"{house}.md": _page(house) for house in PUBLIC}
    lines = [f"- [`reflexa.{h}`]({h}.md): {_first(importlib.import_module(f'reflexa.{h}'))}" for h in PUBLIC]
    index = [
        "# The Python library\n",
        "Made by `./run docs` from docstrings. None of it imports Qt. [Examples](examples.md) use the parts together.\n",
        *lines,
    ]
    return {"README.md": "\n".join(index) + "\n", **out}


def _first(thing: Any) -> str:
    return (inspect.getdoc(thing) or "").split("\n\n")[0].replace("\n", " ")


def _page(house: str) -> str:
    package = importlib.import_module(f"reflexa.{house}")
    out = [f"# reflexa.{house}\n", f"{_text(package)}\n"]
    for module in modules(house):
        if module is not package:
            out += [f"## {module.__name__}\n", f"{_text(module)}\n"]
        out += [_entry(name, thing) for name, thing in members(module)]
    return "\n".join(out).rstrip() + "\n"


def members(module: ModuleType) -> list[tuple[str, Any]]:
    """What a module offers: what it lists in ``__all__``, or its own public functions and classes, in their order."""
    names = getattr(module, "__all__", None)
    if names is None:
        own = (
            (n, t) for n, t in vars(module).items()
            if not n.startswith("_") and getattr(t, "__module__", "") == module.__name__
            and (inspect.isfunction(t) or inspect.isclass(t))
        )  # fmt: skip
        return list(own)
    found = ((n, getattr(module, n)) for n in names)
    return [(n, t) for n, t in found if inspect.isfunction(t) or inspect.isclass(t)]


def _entry(name: str, thing: Any) -> str:
    if inspect.isclass(thing):
        parts = [f"### class {name}\n", f"{_text(thing)}\n"]
        if names := _fields(thing):
            parts.append(f"Fields: {', '.join(f'`{n}`' for n in names)}.\n")
        for own, member in vars(thing).items():
            if own.startswith("_") or not (doc := _text(member)):
                continue
            if isinstance(member, property) or hasattr(member, "func"):
                parts.append(f"- **{own}**: {_in_list(doc)}")
            elif inspect.isfunction(member) and own not in names:
                parts.append(f"- **{own}**`{_signature(member)}`: {_in_list(doc)}")
        return "\n".join(parts).rstrip() + "\n"
    return f"### {name}\n\n```python\n{name}{_signature(thing)}\n```\n\n{_text(thing)}\n"


def _fields(thing: type[Any]) -> list[str]:
    if is_dataclass(thing):
        return [f.name for f in fields(thing) if not f.name.startswith("_")]
    return list(thing.__struct_fields__) if issubclass(thing, msgspec.Struct) else []


def _signature(thing: Any) -> str:
    try:
        said = str(inspect.signature(thing))
    except ValueError:
        return "(…)"
    said = re.sub(r"<function (\w+) at 0x[0-9a-f]+>", r"\1", said)
    said = re.sub(r"<[\w. ]+ at 0x[0-9a-f]+>", "…", said).replace("'", "")
    return said if len(said) < _LONG else said.replace("(", "(\n    ", 1).replace(", ", ",\n    ")


def _text(thing: Any) -> str:
    """A docstring as Markdown; examples stand in blocks of their own."""
    doc = inspect.getdoc(thing) or ""
    out, block = list[str](), list[str]()
    for paragraph in doc.split("\n\n"):
        if paragraph.lstrip().startswith(">>>"):
            block += [paragraph]
        else:
            out.append(re.sub(r"``([^`]+)``", r"`\1`", paragraph))
    if block:
        out.append("```python\n" + "\n".join(block) + "\n```")
    return "\n\n".join(out)


def _in_list(doc: str) -> str:
    first, _, rest = doc.partition("\n\n")
    return first.replace("\n", " ") + (f"\n\n{textwrap.indent(rest, '  ')}\n" if rest else "")
