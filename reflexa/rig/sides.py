"""Left and right in names: the words, how to find them, and how to swap them."""

from __future__ import annotations

import re
from functools import lru_cache

# (left, right); a word may stand in several rows, the one whose counterpart exists wins.
_WORDS = (
    ("left", "right"), ("l", "r"), ("lf", "rt"), ("lt", "rt"), ("lf", "rf"), ("lft", "rgt"), ("lft", "rt"),
    ("lhs", "rhs"), ("port", "starboard"), ("port", "star"),
)  # fmt: skip
_LEFT = {left for left, _ in _WORDS}
_RIGHT = {right for _, right in _WORDS}
SIDE_WORDS = _LEFT | _RIGHT
_TOKEN = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")


def bare(name: str) -> str:
    """The name without namespaces and paths (``ns:joint``, ``group|joint``, ``/root/joint``)."""
    return re.split(r"[:|/]", name.rstrip(":|/"))[-1] or name


@lru_cache(maxsize=20_000)
def words(name: str) -> tuple[str, ...]:
    """The lower-case words of a name, split at separators, case changes and digits; digits are left out."""
    return tuple(w.lower() for w in _TOKEN.findall(bare(name)) if not w.isdigit())


def _like(word: str, model: str) -> str:
    """``word`` in the case of ``model``."""
    if model.isupper():
        return word.upper() if len(model) > 1 or len(word) == 1 else word.capitalize()
    return word.capitalize() if model[0].isupper() else word


def swaps(name: str) -> list[str]:
    """Every name that ``name`` could become when its side is swapped, the most certain first.

    Words count first, then a side glued in front or behind (``leftarm``, ``larm``, ``armr``), which
    only means something where the swapped name exists too.
    """
    start = len(name.rstrip(":|/")) - len(bare(name))
    found: list[tuple[int, str]] = []
    for token in _TOKEN.finditer(name, start):
        word = token.group().lower()
        for left, right in _WORDS:
            for a, b in ((left, right), (right, left)):
                if word == a:
                    swapped = name[: token.start()] + _like(b, token.group()) + name[token.end() :]
                    found.append((0 if len(word) > 2 else 1, swapped))
    low = name[start:].lower()
    for a, b in (("left", "right"), ("right", "left"), ("l", "r"), ("r", "l")):
        rank = 2 if len(a) > 1 else 3
        if low.startswith(a) and len(low) > len(a):
            found.append((rank, name[:start] + _like(b, name[start : start + len(a)]) + name[start + len(a) :]))
        if low.endswith(a) and len(low) > len(a):
            cut = len(name) - len(a)
            found.append((rank, name[:cut] + _like(b, name[cut:])))
    out: list[str] = []
    for _, swapped in sorted(found, key=lambda f: f[0]):
        if swapped not in out and swapped != name:
            out.append(swapped)
    return out


def side(name: str) -> str:
    """``"left"``, ``"right"`` or ``""`` where the words of the name tell no side (or both)."""
    found = set(words(name))
    left, right = bool(found & _LEFT), bool(found & _RIGHT)
    if left == right:
        low = bare(name).lower()
        left, right = low.startswith("left"), low.startswith("right")
    return "left" if left and not right else "right" if right and not left else ""


def swap_in_text(text: str) -> str:
    """The text with its left and right words exchanged (for events, file names): words of two letters and more,
    and single letters that stand apart (``step_l``)."""
    other = {"left": "right", "right": "left", "port": "starboard", "starboard": "port", "l": "r", "r": "l"}

    def change(match: re.Match[str]) -> str:
        word = match.group()
        lone = len(word) > 1 or (
            (match.start() == 0 or not text[match.start() - 1].isalnum())
            and (match.end() == len(text) or not text[match.end()].isalnum())
        )
        swapped = other.get(word.lower())
        return _like(swapped, word) if swapped and lone else word

    return _TOKEN.sub(change, text)


def in_common(left: str, right: str) -> str:
    """What the names of two partners have in common: the name of the pair.

    >>> in_common("upper_arm_left", "upper_arm_right"), in_common("LeftUpperArm", "RightUpperArm"), in_common("lhand", "rhand")
    ('upper arm', 'Upper Arm', 'hand')
    """
    a, b = (_TOKEN.findall(bare(n)) for n in (left, right))
    same = [x for x, y in zip(a, b, strict=False) if x == y] if len(a) == len(b) else []
    if same:
        return " ".join(same)
    n = next((i for i, (x, y) in enumerate(zip(left[::-1], right[::-1], strict=False)) if x != y), 0)
    return left[len(left) - n :] if n > 2 else f"{left}, {right}"
