"""Takes: source and steps, their evaluation with its cache, and recipes."""

from reflexa.take.evaluate import Cache, Cancelled, Evaluation, evaluate, exported, recipe_digest
from reflexa.take.model import Export, Source, Take

__all__ = [
    "Cache",
    "Cancelled",
    "Evaluation",
    "Export",
    "Source",
    "Take",
    "evaluate",
    "exported",
    "recipe_digest",
]
