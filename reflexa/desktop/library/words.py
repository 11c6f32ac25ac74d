"""Clips in the library in words."""

from __future__ import annotations

import os

from reflexa.formats.imported import unit_said
from reflexa.library.finder import Row
from reflexa.library.fits import EXACTLY, NOT, RENAME, RETARGET
from reflexa.words import counted

FITS = {
    EXACTLY: "fits the open rig unchanged", RENAME: "fits the open rig after renaming joints",
    RETARGET: "needs retargeting to the open rig", NOT: "cannot be used on the open rig",
}  # fmt: skip


def short(row: Row) -> str:
    """A line below the name: how long, and what kind of motion."""
    if row.error:
        return "cannot be read"
    if row.frames == 1:
        return "rest pose"
    return ", ".join(w for w in (f"{row.duration:.1f} s", row.gait) if w)


def listed(row: Row) -> str:
    """The two lines below the name where clips are listed."""
    if row.error:
        return row.error
    more = [
        f"{row.speed:.2f} m/s" if row.travels else "on the spot",
        f"{counted(row.frames, 'frame')} at {row.rate:g} fps",
    ]
    rig = [counted(row.joints, "joint"), f"{row.height:.2f} m", f"as {row.label}", *row.said.tags, *row.untidy]
    return f"{', '.join([short(row), *more])}\n{', '.join(rig)}"


def facts(row: Row, fit: str = "") -> list[str]:
    """Everything that is known of one, a line each."""
    where = os.fsencode(row.path).decode(errors="replace")
    if row.error:
        return [row.error, where]
    frames = counted(row.frames, "frame")
    goes = f"travels at {row.speed:.2f} m/s" if row.travels else "on the spot"
    kinds = f" ({', '.join(row.faults)})" if row.faults else ""
    count = "1 finding" if row.findings == 1 else f"{row.findings or 'no'} findings"
    out = [
        f"{frames} at {row.rate:g} fps, {row.duration:.2f} s" + (", a loop" if row.loop else ""),
        ", ".join(w for w in (goes, row.gait, f"of the {row.side}" if row.side else "") if w),
        f"{counted(row.joints, 'joint')}, {row.height:.2f} m high, as {row.label}, {row.format.upper()}, "
        f"unit {unit_said(row.unit or 'm')}",
        *([FITS[fit]] if fit else []),
        count + kinds,
    ]
    if row.events:
        out.append(f"events: {', '.join(row.events)}")
    out += [f"untidy: {text}" for text in row.untidy]
    if row.said.tags:
        out.append(f"tags: {', '.join(row.said.tags)}")
    if row.sets:
        out.append(f"sets: {', '.join(row.sets)}")
    return [*out, where]
