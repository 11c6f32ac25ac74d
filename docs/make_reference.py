"""Writes docs/reference.md, docs/recipe.schema.json and docs/api/ from what the code says of itself."""

from pathlib import Path

from reflexa.api_pages import pages
from reflexa.formats.text import pretty
from reflexa.reference import reference
from reflexa.take.schema import schema

HERE = Path(__file__).parent

(HERE / "recipe.schema.json").write_text(pretty(schema()))
(HERE / "reference.md").write_text(reference())
for name, text in pages().items():
    (HERE / "api" / name).write_text(text)
