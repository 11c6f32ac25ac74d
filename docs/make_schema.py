"""Writes docs/recipe.schema.json from the kinds of steps."""

from pathlib import Path

from reflexa.project.text import pretty
from reflexa.take.recipe import schema

Path(__file__).with_name("recipe.schema.json").write_text(pretty(schema()))
