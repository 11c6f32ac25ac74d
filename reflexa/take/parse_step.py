"""Parses steps and their settings as the command line writes them."""

from __future__ import annotations

from typing import Any

import msgspec

from reflexa.errors import RecipeError
from reflexa.steps import Step, from_plain, settled
from reflexa.steps.older import older_names
from reflexa.take.recipe import Recipe


def step_from_text(text: str) -> Step:
    """The step that the command line names: ``KIND`` or ``KIND:setting=value,setting=value``; values are texts, or JSON such as
    ``point=[0, 1.2, 0.4]``. Raises RecipeError."""
    return from_plain(_plain(text), f"--step {text}")


def recipe_from_text(text: str) -> Recipe:
    """The recipe of one step as the command line names it, with what it calls otherwise than today. Raises RecipeError."""
    plain = _plain(text)
    return Recipe("", settled((from_plain(plain, f"--step {text}"),)), older=older_names([plain]))


def _plain(text: str) -> dict[str, Any]:
    kind, _, rest = text.partition(":")
    settings: dict[str, Any] = {}
    for part in split_at_commas(rest) if rest else []:
        key, equals, value = part.partition("=")
        if not equals:
            raise RecipeError(f"{part!r} is not setting=value", place=f"--step {text}")
        settings[key.strip().replace("-", "_")] = value_from_text(key.strip(), value, f"--step {text[:60]}…")
    return {"kind": kind.strip(), "settings": settings}


def value_from_text(name: str, text: str, place: str) -> Any:
    """A value: JSON, or else the text itself. Raises RecipeError for what is nested too deeply."""
    try:
        return msgspec.json.decode(text.encode(errors="surrogateescape"))
    except RecursionError:
        raise RecipeError(f"{name!r} is nested too deeply", place=place) from None
    except msgspec.DecodeError:
        return text.strip()


def split_at_commas(text: str) -> list[str]:
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
