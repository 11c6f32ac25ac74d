"""Writes docs/reference.md and docs/recipe.schema.json from the kinds of steps, formats and findings."""

from pathlib import Path

from reflexa.project.text import pretty
from reflexa.reference import reference
from reflexa.take.schema import schema

HERE = Path(__file__).parent

(HERE / "recipe.schema.json").write_text(pretty(schema()))
(HERE / "reference.md").write_text(reference())
