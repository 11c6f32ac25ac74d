"""Lines of an ASF or AMC file as words, with errors that name the line."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from reflexa.errors import ReadError
from reflexa.formats.files import read_bytes

_LARGEST = 1e9


class Text:
    """Lines of a file as words, with their numbers; what cannot be read is told with the line."""

    def __init__(self, path: Path) -> None:
        self.path = path
        data = read_bytes(path)
        if b"\0" in data:
            raise ReadError("is binary, not text", path, f"byte {data.index(0)}")
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = data.decode("latin-1")
        self._lines = text.splitlines()
        self.number = 0

    def __iter__(self) -> Iterator[list[str]]:
        for self.number, line in enumerate(self._lines, 1):  # noqa: B020 (the number is told in errors)
            words = line.partition("#")[0].split()
            if words:
                yield words

    def bad(self, reason: str, advice: str = "") -> ReadError:
        """An error at the line that was read last."""
        return ReadError(reason, self.path, f"line {self.number}", advice)

    def numbers(self, words: list[str], count: int | None = None) -> list[float]:
        """Words as numbers, ``count`` of them. Raises ReadError."""
        if count is not None and len(words) != count:
            raise self.bad(f"has {len(words)} numbers instead of {count}")
        try:
            out = [float(w) for w in words]
        except ValueError:
            wrong = next(w for w in words if not _is_number(w))
            raise self.bad(f"{wrong[:40]!r} is not a number") from None
        if not all(abs(v) < _LARGEST for v in out):
            raise self.bad("has a number that cannot be used")
        return out


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True
