"""``python -m reflexa.library.worker``: a process that reads files of library folders for another, with patience for others."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path
from typing import Any

from reflexa import processes
from reflexa.errors import ReadError, ReflexaError
from reflexa.library.facts import facts_of


def answer(path: Path) -> Any:
    """The facts of a file, or the error."""
    try:
        return facts_of(path)
    except ReflexaError as e:
        return e
    except MemoryError:
        return ReadError("needs more memory than there is", path)
    except Exception as e:  # one file out of thousands ends no scan
        return ReadError(f"could not be measured ({type(e).__name__}: {str(e)[:120]})", path)


if __name__ == "__main__":
    with contextlib.suppress(OSError):
        os.nice(19)  # whoever works in the window comes first
    processes.serve(answer)
