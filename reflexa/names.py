"""Names: one that is free, one for each, and one that can be a file's."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Iterable, Iterator


def free_name(wanted: str, taken: Iterable[str], between: str = " ") -> str:
    """``wanted``, or ``wanted 2`` and so on where it is taken. Case does not count: file systems differ."""
    return Names(between, taken, cased=False).give(wanted)


def _numbered(wanted: str, between: str, first: int) -> Iterator[str]:
    yield wanted
    yield from (f"{wanted}{between}{n}" for n in itertools.count(first))


class Names:
    """Gives every name out once; one that is wanted again, or is ``taken``, gets a number. Case tells names apart, as joints'
    and clips' names inside a file do, but where they are to be files' (not ``cased``)."""

    def __init__(self, between: str = " ", taken: Iterable[str] = (), cased: bool = True) -> None:
        self._between, self._same = between, str if cased else str.lower
        self._taken = {self._same(t) for t in taken}
        # How often a name was wanted: thousands may want the same, and the numbers before that are known to be taken.
        self._wanted: Counter[str] = Counter()

    def give(self, wanted: str) -> str:
        """``wanted``, or it with the next number that is free."""
        self._wanted[wanted] += 1
        numbered = _numbered(wanted, self._between, max(self._wanted[wanted], 2))
        name = next(n for n in numbered if self._same(n) not in self._taken)
        self._taken.add(self._same(name))
        return name


def told_apart(names: Iterable[str], what: str, warnings: list[str]) -> list[str]:
    """Names of ``what`` ("joints"), those that come twice numbered; each such change is told in ``warnings``."""
    given, out = Names("."), []
    for name in names:
        out.append(given.give(name))
        if out[-1] != name:
            warnings.append(f"Two {what} are called {name!r}: the later one is called {out[-1]!r} here.")
    return out


# A file's name has at most 255 bytes nearly everywhere; suffixes, numbers and manifests need some of them.
_MOST_BYTES = 180
# What separates folders, or may not stand in a file's name on one system or another.
_RESERVED = '/\\:*?"<>|'


def file_name(name: str) -> str:
    """A take's or clip's name as a file name: no separators, no characters that a common system reserves or cannot show, never
    empty, hidden, or too long."""
    safe = "".join(c if c.isprintable() and c not in _RESERVED else "_" for c in name).strip(" .")
    short = safe.encode(errors="replace")[:_MOST_BYTES].decode(errors="ignore").strip(" .")
    return short or "take"


def readable(name: str) -> str:
    """A file's name as text that can be written: bytes that are none are replaced."""
    return name.encode(errors="surrogateescape").decode(errors="replace")
