"""JSON Schema of the recipe file."""

from __future__ import annotations

from typing import Any

import msgspec

from reflexa.rig.bodymap import PARTS, PRESETS
from reflexa.steps import KINDS
from reflexa.take.recipe import VERSION, Parameter, Stood


def schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the recipe file, made from the kinds of steps."""
    kinds = list(KINDS.values())
    (*settings,), definitions = msgspec.json.schema_components(
        [k.settings for k in kinds], ref_template="#/$defs/{name}"
    )
    (parameters, stood), more = msgspec.json.schema_components([Parameter, Stood], ref_template="#/$defs/{name}")
    weight = {"type": "number", "minimum": 0, "maximum": 1}
    step: dict[str, Any] = {
        "type": "object",
        "required": ["kind"],
        "properties": {
            "id": {
                "type": "string",
                "description": "The id by which other steps refer to it. By default made from its position.",
            },
            "kind": {"enum": [k.kind for k in kinds]},
            "name": {"type": "string"},
            "on": {"type": "boolean", "default": True},
            "weight": {
                "type": "number",
                "minimum": 0,
                "maximum": max(k.most_weight for k in kinds),
                "default": 1,
                "description": "How much of the step counts; only a correction can have more than 1.",
            },
            "envelope": {
                "type": "array",
                "description": "Weight over time: points [frame, weight], linear in between, constant outside.",
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
                "description": "The event that its frames follow, and the frame of that event when they were set.",
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
            "parameters": {
                "type": "array",
                "items": parameters,
                "description": "Settings of its steps that are asked for when it is used.",
            },
            "made_on": {"type": "array", "items": stood, "description": "The roles of the joints that its steps name."},
            "steps": {"type": "array", "items": step},
        },
        "additionalProperties": False,
        "$defs": {**definitions, **more},
    }
