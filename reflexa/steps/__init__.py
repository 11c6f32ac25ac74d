"""Kinds of steps, one file (or folder) each, found by being here; running them, with weight, envelope and mask for all."""

from reflexa import plugins
from reflexa.steps.model import (
    NOTHING,
    SOURCE,
    Beginning,
    Context,
    Given,
    Mask,
    Outcome,
    Point,
    Settings,
    Step,
    StepKind,
    Unmet,
    new_id,
)
from reflexa.steps.plain import from_plain, make, settled, steps_from_plain, to_plain
from reflexa.steps.registry import KINDS, describe, kind_of, register
from reflexa.steps.running import apply, apply_at, outcome, where_it_acts

__all__ = [
    "KINDS",
    "NOTHING",
    "SOURCE",
    "Beginning",
    "Context",
    "Given",
    "Mask",
    "Outcome",
    "Point",
    "Settings",
    "Step",
    "StepKind",
    "Unmet",
    "apply",
    "apply_at",
    "describe",
    "from_plain",
    "kind_of",
    "make",
    "new_id",
    "outcome",
    "register",
    "settled",
    "steps_from_plain",
    "to_plain",
    "where_it_acts",
]

# What installed packages bring, once everything here has its name.
plugins.load_entry_points("reflexa.steps", StepKind, register)
