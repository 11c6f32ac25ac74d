"""Reading a clip file whose bytes are at hand: out of an archive, over a network, or just written and not yet in its place."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path, PurePosixPath
from urllib.parse import unquote

from reflexa.errors import ReadError, os_message
from reflexa.formats.imported import Imported, ReadOptions
from reflexa.formats.registry import by_suffix, read

# Gives the bytes of a file that a clip file names, by that name; None where there is none.
Resolve = Callable[[str], bytes | None]


def _nothing(_: str) -> bytes | None:
    return None


def read_from(
    name: str, data: bytes, options: ReadOptions = ReadOptions(), resolve: Resolve = _nothing
) -> Imported:  # fmt: skip
    """Read the bytes of a clip file called ``name``, as ``read`` does from a path. resolve: gives the bytes of files that belong
    to it (buffers, textures, layers), by the relative names that it has for them.

    Raises ReadError, which names the file as it is called here.
    """
    own = PurePosixPath(name.replace("\\", "/")).name
    if not data:
        raise ReadError("the file is empty", name)
    with tempfile.TemporaryDirectory(prefix="reflexa-") as folder:
        path = Path(folder) / own
        try:
            path.write_bytes(data)
            _put_beside(path, data, resolve)
            found = read(path, options)
            digest = found.sha256
        except ReadError as e:
            raise ReadError(
                e.reason.replace(str(path), name), e.path.replace(f"{folder}/", ""), e.place, e.advice
            ) from None
        except (OSError, ValueError) as e:
            raise ReadError(f"could not be unpacked to be read: {os_message(e)}", name) from None
    return replace(found, path=Path(name), hashed=lambda: digest)


def _put_beside(path: Path, data: bytes, resolve: Resolve) -> None:
    """Write the files that a file names beside it, and those that they name."""
    root, waiting, there = path.parent, [(path, data)], {path}
    while waiting:
        at, bytes_ = waiting.pop()
        format = by_suffix(at)
        for uri in format.beside(at, bytes_) if format is not None else ():
            for name in dict.fromkeys((uri, unquote(uri))):
                if ".." in PurePosixPath(name).parts or PurePosixPath(name).is_absolute():
                    continue
                target = at.parent / name
                relative = target.relative_to(root).as_posix()
                found = None if target in there else resolve(relative)
                if found is not None:
                    target.parent.mkdir(parents=True, exist_ok=True)
                    target.write_bytes(found)
                    there.add(target)
                    waiting.append((target, found))
