"""What the USD library says of a damaged file, as an error for people: where in the file and what, without its own insides."""

from __future__ import annotations

import re
from pathlib import Path

from reflexa.errors import ReadError

_QUOTED = re.compile(r"in file \S+ : '(.*?)'\s*(?=\n\s*Error in|\Z)", re.S)
_PLACED = re.compile(r"^\S.*?:(\d+)(?::(\d+))?: (.*)", re.S)
_LONGEST = 160


def damaged(error: Exception, path: Path) -> ReadError:
    """A ReadError with what an error of the library says: the line and column of a text file, where it tells them."""
    text = str(error).strip()
    said = _QUOTED.findall(text) or text.splitlines()[:1] or [type(error).__name__]
    placed = next((m for s in said if (m := _PLACED.match(s.strip()))), None)
    if placed is not None:
        place = f"line {placed[1]}" + (f", column {placed[2]}" if placed[2] else "")
        return ReadError(f"is damaged ({_plain(placed[3], path)})", path, place)
    return ReadError(f"is damaged ({_plain(said[0], path)})", path)


def _plain(text: str, path: Path) -> str:
    """Without names of the library's own, and of the place where the file lies."""
    first = text.strip().splitlines()[0] if text.strip() else "no reason is given"
    first = re.sub(r"parse error matching \S+", "a syntax error", first)
    first = re.sub(rf"[<@]?({re.escape(str(path))}|{re.escape(path.name)})[>@]?", "it", first)
    first = re.sub(r"\S*(pxrInternal|::)\S*", "…", first)
    first = first.removeprefix("it ")
    return first[:1].lower() + first[1:_LONGEST]
