"""How the command line names a clip: ``FILE[#CLIP]``."""

from __future__ import annotations

from pathlib import Path

from reflexa.errors import ReadError
from reflexa.formats import Imported, read
from reflexa.motion.clip import Clip


def file_and_clip(text: str) -> tuple[str, str]:
    """A file and the name of a clip in it, told apart by the first # behind which a file's name ends; a file may have one in
    its name, and a clip too."""
    cuts = [i for i, c in enumerate(text) if c == "#"]
    at = next(
        (i for i in cuts if Path(text[:i]).is_file()), cuts[0] if cuts and not Path(text).is_file() else len(text)
    )
    return text[:at], text[at + 1 :]


def clip_of(document: Imported, name: str) -> Clip:
    """The clip of that name, or the only one. Raises ReadError with the names that there are."""
    if not document.clips:
        raise ReadError("contains a rig but no clip", document.path)
    found = [c for c in [document.clips.named(name)] if c is not None] if name else list(document.clips)
    if len(found) != 1:
        names = ", ".join(document.clips.names)
        what = f"has no clip {name!r}" if name else "has several clips"
        raise ReadError(what, document.path, advice=f"Choose one with {document.path.name}#CLIP: {names}.")
    return found[0]


def named_for_steps(text: str) -> tuple[Path, str]:
    """The file of ``FILE[#CLIP]``, and the name by which steps know the clip. Raises ReadError."""
    file, name = file_and_clip(text)
    path = Path(file)
    return path, f"{path.name}/{clip_of(read(path), name).name}"
