"""Our own saved documents: JSON that says what it is and which version it has."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec

from reflexa.errors import ReadError
from reflexa.formats.files import read_bytes


def read_document(path: Path, kind: str, version: int) -> dict[str, Any]:
    """The object in a saved document of a kind, such as "take".

    Raises ReadError for what is no JSON, another kind, without a version, or newer than ``version``.
    """
    try:
        data = msgspec.json.decode(read_bytes(path))
    except (msgspec.DecodeError, UnicodeDecodeError) as e:
        raise ReadError(f"is damaged: not valid JSON ({e})", path) from None
    except RecursionError:
        raise ReadError("is nested too deeply", path) from None
    if not isinstance(data, dict) or data.get("reflexa") != kind:
        raise ReadError(f'is not a saved {kind}: "reflexa": "{kind}" is missing', path)
    found = data.get("version")
    if not isinstance(found, int) or found < 1:
        raise ReadError("has no version number", path, "version")
    if found > version:
        raise ReadError(
            f"was saved by a newer Reflexa (version {found}, {version} is known)", path, "version",
            "Update Reflexa; nothing was changed.",
        )  # fmt: skip
    return data
