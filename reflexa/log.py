"""The log of what nobody expected: written down with its time, and never in the way."""

from __future__ import annotations

import sys
import traceback
from datetime import datetime

from reflexa.places import log_file

# Older entries go when the log is longer than this, bytes.
_LONGEST = 1 << 20


_told = False


def tell_also(aloud: bool) -> None:
    """What goes into the log is told on standard error as well (``--verbose``), or is not any more."""
    global _told
    _told = aloud


def write_down(text: str) -> None:
    """Add to the log; where that cannot be written, nothing."""
    if _told:
        print(text, file=sys.stderr)
    path = log_file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.exists() and path.stat().st_size > _LONGEST:
            path.write_bytes(path.read_bytes()[-_LONGEST // 2 :])
        with path.open("a", encoding="utf-8", errors="replace") as file:
            file.write(f"\n{datetime.now().isoformat(timespec='seconds')}\n{text}")
    except OSError:
        return


def write_down_error(error: BaseException, what: str) -> None:
    """Add an error to the log, with the way to it. what: where it happened, in words."""
    write_down(f"{what}\n{''.join(traceback.format_exception(error))}")
