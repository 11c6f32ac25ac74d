"""Pictures into files: one frame, a contact sheet, a row of frames, a moving picture; whole or not at all."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from io import BytesIO
from pathlib import Path

from PIL import Image

from reflexa.errors import RecipeError, WriteError
from reflexa.formats.files import write_bytes
from reflexa.progress import Progress, quiet
from reflexa.review.stills import Shot, sheet, still
from reflexa.review.subjects import Reviewed

SUFFIXES = (".png", ".webp")
# A moving picture has no more frames a second than this: players drop them.
_FASTEST = 30.0


def frames_said(said: str, count: int) -> list[int]:
    """The frames of ``12``, ``0,10,20``, ``5-40`` or ``0-100/10`` (every tenth). Raises RecipeError."""
    out: list[int] = []
    for part in said.split(","):
        span, _, step = part.partition("/")
        first, dash, last = span.strip().partition("-")
        try:
            a = int(first)
            b = int(last) if dash else a
            by = int(step) if step else 1
        except ValueError:
            raise RecipeError(
                f"{part!r} is not a list of frames", place="frames", advice="For example 12, 0,10,20, 5-40 or 0-100/10."
            ) from None
        if not 0 <= a <= b < count or by < 1:
            raise RecipeError(
                f"{part!r} lies outside the clip", place="frames", advice=f"Its frames are 0 to {count - 1}."
            )
        out += range(a, b + 1, by)
    return out


def save_sheet(
    subject: Reviewed, count: int, path: Path, shot: Shot, overwrite: bool = False, progress: Progress = quiet
) -> list[Path]:
    """A contact sheet. Raises WriteError, and whatever ``progress`` raises: nothing is written then."""
    small = replace(shot, width=max(120, shot.width // 3), height=max(120, shot.height // 2))
    return _put({path: _encoded(sheet(subject, count, small, progress), path)}, overwrite)


def save_frames(
    subject: Reviewed,
    frames: Sequence[int],
    path: Path,
    shot: Shot,
    overwrite: bool = False,
    progress: Progress = quiet,
) -> list[Path]:
    """Frames as they are: one as a picture; several as a moving WebP, or as PNG files with their numbers. Raises WriteError, and
    whatever ``progress`` raises: nothing is written then."""
    if path.suffix.lower() == ".webp" and len(frames) > 1:
        rate = subject.after[0].rate * subject.after[0].play_rate
        every = max(1, round(rate / _FASTEST))
        frames = frames[::every]
        pictures = []
        for i, frame in enumerate(frames):
            progress(f"Frame {frame}", i / len(frames))
            pictures.append(still(subject, frame, shot))
        out = BytesIO()
        pictures[0].save(
            out, "WEBP", save_all=True, append_images=pictures[1:], duration=round(1000 * every / rate), loop=0, quality=80,
            method=2,
        )  # fmt: skip
        return _put({path: out.getvalue()}, overwrite)
    files: dict[Path, bytes] = {}
    for i, frame in enumerate(frames):
        progress(f"Frame {frame}", i / len(frames))
        to = path if len(frames) == 1 else path.with_name(f"{path.stem}_{frame:04d}{path.suffix}")
        files[to] = _encoded(still(subject, frame, shot), to)
    return _put(files, overwrite)


def _encoded(picture: Image.Image, path: Path) -> bytes:
    out = BytesIO()
    kind = "WEBP" if path.suffix.lower() == ".webp" else "PNG"
    picture.save(out, kind)
    return out.getvalue()


def _put(files: dict[Path, bytes], overwrite: bool) -> list[Path]:
    taken = [p for p in files if p.exists()]
    if taken and not overwrite:
        raise WriteError("exists already", taken[0], advice="Use another name, or allow overwriting.")
    for path, data in files.items():
        write_bytes(path, data, overwrite)
    return list(files)
