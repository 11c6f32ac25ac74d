"""What a file may do to its reader, as errors with a name."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from reflexa.errors import ReadError
from reflexa.formats.files import read_failed


@contextmanager
def typed_errors(path: Path) -> Iterator[None]:
    """Inside of it, whatever a damaged file leads to is raised as ReadError."""
    try:
        yield
    except RecursionError:
        raise ReadError("is nested too deeply", path) from None
    except MemoryError:
        raise ReadError("needs more memory than there is", path) from None
    except OSError as e:  # of a file that belongs to it, whose name may be anything
        raise read_failed(e, path) from None
    except (AttributeError, TypeError, KeyError) as e:
        # A value of a kind that the format does not allow, in a place that no check of ours names.
        raise ReadError(f"has a value of the wrong type ({e})", path) from e
