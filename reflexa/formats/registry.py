"""Which reader and writer serves which file: by suffix, and by content where the suffix says nothing.

A format is a module (or package) of this folder that has a ``FORMAT``: it is found by being there.
"""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

import numpy as np

from reflexa import plugins
from reflexa.errors import ReadError, ReflexaError, WriteError
from reflexa.formats.files import digest_beside, file_state, read_failed, usable
from reflexa.formats.guard import typed_errors
from reflexa.formats.imported import Imported, ReadOptions, unit_said
from reflexa.formats.model import Format, WriteOptions
from reflexa.motion.clip import Clip
from reflexa.places import log_file
from reflexa.rig import Rig
from reflexa.rig.foot_rest import as_it_stands
from reflexa.words import length

FORMATS: dict[str, Format] = {}

# How our own documents begin, which lie beside clips.
_OWN = re.compile(rb'\s*\{\s*"reflexa"\s*:')

# What is written where nobody asks for another.
STANDARD = "glb"


def register(format: Format) -> Format:
    """Take a format into the list. Raises ValueError where its name or a suffix of it is taken."""
    taken = [s for f in FORMATS.values() for s in f.suffixes if s in format.suffixes]
    if taken:
        raise ValueError(f"there is a format for {', '.join(taken)} already")
    plugins.put(FORMATS, format.name, format, lambda f: f.place)
    return format


def suffixes() -> tuple[str, ...]:
    """Every suffix that is read."""
    return tuple(s for f in FORMATS.values() for s in f.suffixes)


def writable() -> tuple[Format, ...]:
    """The formats that clips can be written in."""
    return tuple(f for f in FORMATS.values() if f.encode is not None)


def with_meshes() -> tuple[Format, ...]:
    """The formats that things for the stage can come from."""
    return tuple(f for f in FORMATS.values() if f.triangles is not None)


def by_suffix(path: Path) -> Format | None:
    """The format that a file's name speaks of, in any case."""
    return next((f for f in FORMATS.values() if path.suffix.lower() in f.suffixes), None)


def format_of(path: Path) -> Format:
    """The format of a file. Raises ReadError where neither suffix nor content tell it, or the file is missing."""
    try:
        named = by_suffix(path)
        if named is not None and not _ambiguous(path):
            return named
        with path.open("rb") as file:
            head = file.read(512)
    except OSError as e:
        raise read_failed(e, path) from None
    if _OWN.match(head):
        raise ReadError("is a Reflexa document and contains no clip", path)
    found = next((f for f in FORMATS.values() if f.looks_like(head)), named)
    if found is None:
        raise ReadError("has a format that cannot be read", path, advice=f"Supported formats: {', '.join(suffixes())}.")
    return found


def _ambiguous(path: Path) -> bool:
    """True if the suffix is shared by several formats, which only the content tells apart."""
    found = by_suffix(path)
    return found is not None and path.suffix.lower() != found.suffix


def read(path: Path, options: ReadOptions = ReadOptions()) -> Imported:
    """Read any known file. Raises ReadError."""
    chosen = format_of(path)
    with typed_errors(path):
        for _ in range(_READINGS):
            usable(path)  # a pipe would be waited for
            before = file_state(path)
            # Told once, while the file is there: later it may be gone. Nobody waits for it here.
            hashed = digest_beside(path, before)
            found = _read(chosen, path, options)
            if file_state(path) == before:
                break
        else:
            raise ReadError("changed while it was read", path, advice="Wait until it is complete, then read it again.")
        rig = as_it_stands(found.rig, found.clips)
        remarks = replace(found.of_file, warnings=(*found.of_file.warnings, *_size_warnings(rig, found)))
        return replace(found, format=chosen.name, hashed=hashed, rig=rig, of_file=remarks)


def _read(format: Format, path: Path, options: ReadOptions) -> Imported:
    if not plugins.brought_by(format):
        return format.read(path, options)
    try:
        return format.read(path, options)
    except (ReflexaError, OSError):
        raise
    except Exception as e:
        raise ReadError(plugins.failed(format, e), path, advice=f"The path to it is in {log_file()}.") from e


# A file that is written meanwhile is read again, so many times in all.
_READINGS = 3
# Creatures outside these heights, metres, are more likely in another unit.
_SMALLEST, _TALLEST = 0.05, 20.0


def _size_warnings(rig: Rig, found: Imported) -> list[str]:
    height = rig.height
    if _SMALLEST <= height <= _TALLEST or height == 0:
        return []
    unit = unit_said(found.frame.unit)
    return [f"The figure is {length(height)} high: is the unit of the file ({unit}) right? It can be given."]


def as_source(format: Format, rig: Rig, source: Imported | None, options: WriteOptions) -> Imported | None:
    """The file that a clip of a rig is written alike, where that is wanted and can be; else None."""
    if source is None or options.frame != "source" or not format.alike(FORMATS[source.format]):
        return None
    return source if source.rig.skeleton.names == rig.skeleton.names else None


def encode(
    clips: list[Clip], rig: Rig, name: str, source: Imported | None = None, options: WriteOptions = WriteOptions()
) -> bytes:
    """The bytes of clips of one rig in the format ``name``. source: the file they came from, to be written alike.

    Raises WriteError.
    """
    chosen = FORMATS[name]
    if chosen.encode is None:
        raise WriteError(f"{chosen.title} can only be read", advice="Choose another format.")
    if not clips:
        raise WriteError("there is no clip to write")
    for clip in clips:
        numbers_alone(clip)
    if len(clips) > 1 and not chosen.several_clips:
        raise WriteError(f"{chosen.title} holds one clip, but there are {len(clips)}", advice="Choose one.")
    if len(rig.skeleton.roots) > 1 and not chosen.several_roots:
        raise WriteError(
            f"{chosen.title} holds one root joint, but this rig has several", advice="Choose another format."
        )
    try:
        return chosen.encode(clips, rig, as_source(chosen, rig, source, options), options)
    except ReflexaError:
        raise
    except Exception as e:
        if not plugins.brought_by(chosen):
            raise
        raise WriteError(plugins.failed(chosen, e), advice=f"The path to it is in {log_file()}.") from e


def numbers_alone(clip: Clip) -> None:
    """Raises WriteError where a clip holds what is no finite number: no file may."""
    parts = (("rotation", clip.rotations), ("translation", clip.translations), ("scale", clip.scales))
    for what, values in parts:
        if values is not None and not np.isfinite(values).all():
            frame, joint = np.argwhere(~np.isfinite(values))[0][:2].tolist()
            raise WriteError(
                f"{clip.name!r}: the {what} of {clip.skeleton.names[joint]} at frame {frame} is not a number",
                advice="Switch steps off to find the one that causes it.",
            )
    for track in clip.tracks:
        if not np.isfinite(track.values).all():
            raise WriteError(f"{clip.name!r}: the track {track.name!r} contains values that are not numbers")


for _format in plugins.exported("reflexa.formats", "FORMAT", Format):
    register(_format)
