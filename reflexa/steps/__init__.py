"""Kinds of steps, one file each; a registry; weight, envelope and mask for all of them in one place."""

from reflexa.steps.apply import apply, carried
from reflexa.steps.model import Mask, Settings, Step, StepKind
from reflexa.steps.registry import KINDS, describe, from_plain, make, to_plain

__all__ = [
    "KINDS",
    "Mask",
    "Settings",
    "Step",
    "StepKind",
    "apply",
    "carried",
    "describe",
    "from_plain",
    "make",
    "to_plain",
]
