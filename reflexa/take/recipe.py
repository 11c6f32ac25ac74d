"""Recipes: the steps alone, as a text file that can be used on other clips."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec

from reflexa.errors import RecipeError
from reflexa.formats.documents import read_document
from reflexa.rig.bodymap import PARTS, PRESETS
from reflexa.steps import KINDS, Step, from_plain, steps_from_plain, to_plain

VERSION = 1


def recipe_plain(name: str, steps: tuple[Step, ...]) -> dict[str, Any]:
    """A recipe as plain data, ready to be written as JSON."""
    return {"reflexa": "recipe", "version": VERSION, "name": name, "steps": [to_plain(s) for s in steps]}


def read_recipe(path: Path) -> tuple[str, tuple[Step, ...]]:
    """Name and steps of a recipe file. Raises ReadError (no JSON, newer version) or RecipeError (what it says)."""
    data = read_document(path, "recipe", VERSION)
    steps = data.get("steps")
    if not isinstance(steps, list):
        raise RecipeError("has no list of steps", path, "steps")
    try:
        return str(data.get("name", path.name.split(".")[0])), steps_from_plain(steps)
    except RecipeError as e:
        raise RecipeError(e.reason, path, e.place, e.advice) from None


def step_from_text(text: str) -> Step:
    """A step as the command line names it: ``KIND`` or ``KIND:setting=value,setting=value``; values are texts, or JSON such
    as ``point=[0, 1.2, 0.4]``. Raises RecipeError."""
    kind, _, rest = text.partition(":")
    settings: dict[str, Any] = {}
    for part in _parts(rest) if rest else []:
        key, equals, value = part.partition("=")
        if not equals:
            raise RecipeError(f"{part!r} is not setting=value", place=f"--step {text}")
        try:
            settings[key.strip().replace("-", "_")] = msgspec.json.decode(value.encode())
        except RecursionError:
            raise RecipeError(f"{key.strip()!r} is nested too deeply", place=f"--step {text[:60]}…") from None
        except msgspec.DecodeError:
            settings[key.strip().replace("-", "_")] = value.strip()
    return from_plain({"kind": kind.strip(), "settings": settings}, f"--step {text}")


def _parts(text: str) -> list[str]:
    """A text cut at its commas, but for those inside brackets and quotes."""
    out, start, depth, quoted = [], 0, 0, False
    for i, c in enumerate(text):
        if c == '"':
            quoted = not quoted
        elif not quoted and c in "[{":
            depth += 1
        elif not quoted and c in "]}":
            depth -= 1
        elif c == "," and depth <= 0 and not quoted:
            out.append(text[start:i])
            start = i + 1
    return [*out, text[start:]]


def schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the recipe file, made from the kinds of steps."""
    kinds = list(KINDS.values())
    (*settings,), definitions = msgspec.json.schema_components(
        [k.settings for k in kinds], ref_template="#/$defs/{name}"
    )
    weight = {"type": "number", "minimum": 0, "maximum": 1}
    step: dict[str, Any] = {
        "type": "object",
        "required": ["kind"],
        "properties": {
            "id": {"type": "string", "description": "What other steps know it by; given by its place where left out."},
            "kind": {"enum": [k.kind for k in kinds]},
            "name": {"type": "string"},
            "on": {"type": "boolean", "default": True},
            "weight": {**weight, "default": 1},
            "envelope": {
                "type": "array",
                "description": "Weight over time: [frame, weight] points, linear between, held outside.",
                "items": {
                    "type": "array",
                    "prefixItems": [{"type": "number"}, weight],
                    "minItems": 2,
                    "maxItems": 2,
                },
            },
            "mask": {
                "type": "object",
                "properties": {
                    "parts": {"type": "array", "items": {"enum": [*PRESETS, *PARTS]}},
                    "joints": {"type": "object", "additionalProperties": weight},
                    "edge": {"type": "integer", "minimum": 0, "default": 0},
                },
                "additionalProperties": False,
            },
            "locked": {"type": "boolean", "default": False},
            "tied": {
                "type": "object",
                "description": "The event that its frames go with, and where that was when they were set.",
                "properties": {"event": {"type": "string"}, "frame": {"type": "number"}},
                "required": ["event", "frame"],
                "additionalProperties": False,
            },
            "settings": {"type": "object"},
        },
        "additionalProperties": False,
        "allOf": [
            {"if": {"properties": {"kind": {"const": k.kind}}}, "then": {"properties": {"settings": s}}}
            for k, s in zip(kinds, settings, strict=True)
        ],
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Reflexa recipe",
        "type": "object",
        "required": ["reflexa", "version", "steps"],
        "properties": {
            "reflexa": {"const": "recipe"},
            "version": {"const": VERSION},
            "name": {"type": "string"},
            "steps": {"type": "array", "items": step},
        },
        "additionalProperties": False,
        "$defs": definitions,
    }
