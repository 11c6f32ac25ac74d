"""Takes: source and steps, their edits, their evaluation with its cache, and recipes."""

from reflexa.take.evaluate import (
    Alone,
    Cache,
    Cancelled,
    Evaluation,
    Surroundings,
    evaluate,
    evaluate_alone,
    recipe_digest,
)
from reflexa.take.model import Accepted, Export, Part, Range, Segment, Source, Take, Varies, View

__all__ = [
    "Accepted",
    "Alone",
    "Cache",
    "Cancelled",
    "Evaluation",
    "Export",
    "Part",
    "Range",
    "Segment",
    "Source",
    "Surroundings",
    "Take",
    "Varies",
    "View",
    "evaluate",
    "evaluate_alone",
    "recipe_digest",
]
