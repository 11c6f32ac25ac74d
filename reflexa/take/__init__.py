"""Takes: source and steps, their edits, their evaluation with its cache, and recipes."""

from reflexa.take.evaluate import (
    Alone,
    Cache,
    Cancelled,
    Evaluation,
    Surroundings,
    evaluate,
    evaluate_alone,
    exported,
    recipe_digest,
)
from reflexa.take.model import Export, Source, Take

__all__ = [
    "Alone",
    "Cache",
    "Cancelled",
    "Evaluation",
    "Export",
    "Source",
    "Surroundings",
    "Take",
    "evaluate",
    "evaluate_alone",
    "exported",
    "recipe_digest",
]
