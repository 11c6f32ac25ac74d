"""Names: one that is free, and one that can be a file's."""

from __future__ import annotations

from collections.abc import Container, Iterable


def free_name(wanted: str, taken: Iterable[str], between: str = " ") -> str:
    """``wanted``, or ``wanted 2`` and so on where it is taken. Case does not count: file systems differ."""
    low = {t.lower() for t in taken}
    return next(n for n in _numbered(wanted, between) if n.lower() not in low)


def free_exactly(wanted: str, taken: Container[str], between: str = " ") -> str:
    """The same where case tells names apart, as joints' and clips' names inside a file do."""
    return next(n for n in _numbered(wanted, between) if n not in taken)


def _numbered(wanted: str, between: str) -> Iterable[str]:
    yield wanted
    n = 2
    while True:
        yield f"{wanted}{between}{n}"
        n += 1


def told_apart(names: Iterable[str], what: str, warnings: list[str]) -> list[str]:
    """Names of ``what`` ("joints"), those that come twice numbered; each such change is told in ``warnings``."""
    out: dict[str, None] = {}
    for name in names:
        new = free_exactly(name, out, ".")
        if new != name:
            warnings.append(f"Two {what} are called {name!r}: the later one is called {new!r} here.")
        out[new] = None
    return list(out)


def file_name(name: str) -> str:
    """A take's or clip's name as a file name: no separators, no reserved characters, never empty or hidden."""
    safe = "".join(c if c.isalnum() or c in " -_.,()+" else "_" for c in name).strip(" .")
    return safe or "take"
