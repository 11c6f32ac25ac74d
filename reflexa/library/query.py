"""What is looked for in the library, as a value: words, filters, order."""

from __future__ import annotations

from typing import Any

import msgspec

SORTS = {
    "name": "Name", "newest": "Newest first", "longest": "Longest first", "fastest": "Fastest first",
    "faults": "Most findings first", "stars": "Most stars first",
}  # fmt: skip


class Query(msgspec.Struct, frozen=True, omit_defaults=True):
    """text: words that all begin something that is said of a clip. Empty tuples and None: all the same. fits: ways to fit the
    open rig (``FITS``); loop, travels, faults, untidy, unreadable: yes or no; gaits, sides: any of them; shortest, longest:
    seconds; tags: all of them; stars: at least; set, library_folder: by name; twice: only clips whose
    motion is there under another name too; sort: one of ``SORTS``."""

    text: str = ""
    fits: tuple[str, ...] = ()
    loop: bool | None = None
    travels: bool | None = None
    faults: bool | None = None
    untidy: bool | None = None
    unreadable: bool = False
    gaits: tuple[str, ...] = ()
    sides: tuple[str, ...] = ()
    shortest: float | None = None
    longest: float | None = None
    tags: tuple[str, ...] = ()
    stars: int = 0
    set: str = ""
    library_folder: str = msgspec.field(default="", name="shelf")  # as older versions save it
    twice: bool = False
    sort: str = "name"

    def plain(self) -> dict[str, Any]:
        """As plain data, without what is all the same."""
        out: dict[str, Any] = msgspec.to_builtins(self)
        return out

    @property
    def filters(self) -> int:
        """How many filters are on, words and order aside."""
        return len([k for k in self.plain() if k not in ("text", "sort")])
