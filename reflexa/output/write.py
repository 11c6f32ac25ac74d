"""Write a clip, read it back, compare, and only then say that it is there."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from reflexa.errors import ReflexaError, WriteError
from reflexa.formats import FORMATS, Format, Imported, ReadOptions, WriteOptions, encode
from reflexa.formats.files import write_together
from reflexa.formats.from_memory import read_from
from reflexa.formats.imported import FACINGS
from reflexa.formats.registry import as_source
from reflexa.formats.text import pretty
from reflexa.motion.clip import Clip
from reflexa.output.additive import parted_by
from reflexa.output.manifest import NOWHERE, Origin, Target, manifest, manifest_path
from reflexa.output.proof import PLACE, ReadBack, held_against
from reflexa.progress import Progress, quiet
from reflexa.rig import Rig
from reflexa.take import recipe_digest
from reflexa.words import counted


@dataclass(frozen=True)
class Proof:
    """What was written and how well it read back: largest position error in mm and turn in degrees
    over all frames and joints. warnings: what the
    file does not hold, or was noticed on reading it back. others: files that were written beside it. findings: what is left that
    nobody puts up with, in words, clip by clip."""

    path: Path
    manifest: Path
    frames: int
    rate: float
    error_mm: float
    error_deg: float
    warnings: tuple[str, ...]
    others: tuple[Path, ...] = ()
    findings: tuple[str, ...] = ()

    @property
    def plain(self) -> dict[str, Any]:
        """As plain data for the command line."""
        return {
            "file": str(self.path), "manifest": str(self.manifest), "frames": self.frames, "rate": self.rate,
            "read_back_error_mm": self.error_mm, "read_back_error_deg": self.error_deg, "warnings": list(self.warnings),
        }  # fmt: skip

    @property
    def said(self) -> str:
        """For people, without the place."""
        within = f"{self.error_mm:.4f} mm and {self.error_deg:.4f}°"
        first = f"{counted(self.frames, 'frame')} at {self.rate:g} fps, read back with an error of at most {within}"
        return "; ".join((first, *self.warnings))


def write(clips: list[Clip], rig: Rig, target: Target, origin: Origin = NOWHERE, progress: Progress = quiet) -> Proof:
    """Write clips and their manifest, whole or not at all, and prove them by reading them back.

    progress may raise to stop it: nothing is written then. Raises WriteError where a file exists already, cannot be
    written, or reads back otherwise than it was written.
    """
    path, model = target.path, origin.model_for(rig)
    beside = manifest_path(path)
    for file in (path, beside):
        free(file, target.overwrite, (*target.inputs, *(d.path for d in (origin.source, model) if d is not None)))
    progress("Encoding", 0.1)
    notes: dict[str, Any] = {}
    if origin.steps:
        notes = {"source": origin.source.sha256 if origin.source else "", "recipe": recipe_digest(origin.steps)}
    data = encode(clips, rig, target.format, model, replace(target.options, notes=notes))
    progress("Reading back", 0.5)
    error, warnings = _read_back(data, clips, rig, target, origin)
    progress("Writing", 0.9)
    plain = [manifest(c, rig, target, origin, error) for c in clips]
    text = pretty(plain[0] if len(plain) == 1 else {"clips": plain}).encode()
    write_together({path: data, beside: text}, target.overwrite)
    progress("Done", 1.0)
    findings = [f"{p['name']}: {f['text']}" for p in plain for f in p.get("findings", ()) if not f.get("accepted")]
    first = clips[0]
    return Proof(
        path, beside, first.frames, first.rate, error.mm, error.degrees, warnings, findings=tuple(findings)
    )  # fmt: skip


def free(file: Path, overwrite: bool, inputs: Iterable[Path]) -> None:
    """Raises WriteError where a file may not be written: it is there already, or is an input itself, under whatever name."""
    if not os.path.lexists(file):
        return
    if not overwrite:
        raise WriteError("exists already", file, advice="Choose another name, or allow overwriting.")
    for one in inputs:
        try:
            same = one.exists() and file.samefile(one)
        except (OSError, ValueError):
            same = False
        if same:
            raise WriteError("is a source, and sources are never overwritten", file, advice="Choose another name.")


def _reading(format: Format, rig: Rig, model: Imported | None, options: WriteOptions) -> ReadOptions:
    """How to read a file just written, so that the reader need not guess what was known when it was written."""
    alike = as_source(format, rig, model, options)
    unit = None
    if alike is not None and (not format.declares_unit or alike.frame.unit == "as told"):
        unit = alike.frame.unit_scale
    elif alike is None and not format.declares_unit:
        unit = options.unit
    part = options.joints is not None  # which way an arm faces, nobody can tell
    facing = "+Z" if part else ""
    if alike is not None:
        told = (part or alike.rig.facing_found_by == "told") and alike.frame.facing in FACINGS
        facing = alike.frame.facing if told else ""
    # Position channels are left to the reader, as whoever reads the file next has nothing but the values either.
    return ReadOptions(unit, facing=facing)


def _read_back(
    data: bytes, clips: list[Clip], rig: Rig, target: Target, origin: Origin
) -> tuple[ReadBack, tuple[str, ...]]:
    """How well bytes read back, and what there is to be said of them; raises WriteError where they hold anything else than what
    was to be in them."""
    path, format, model, wholes = target.path, FORMATS[target.format], origin.model_for(rig), origin.wholes
    try:
        back = read_from(f"clip{format.suffix}", data, _reading(format, rig, model, target.options))
    except ReflexaError as e:
        raise WriteError(f"could not be read back ({e.reason})", path, advice="Nothing was written.") from None
    found = held_against(clips, rig, back, format, target.options.joints)
    if found.differs:
        more = f", and {len(found.differs) - 3} more" if len(found.differs) > 3 else ""
        said = "; ".join(found.differs[:3]) + more
        raise WriteError(f"differs when it is read back: {said}", path, advice="Nothing was written.")
    found = replace(found, whole_mm=parted_by(wholes, back.clips), notes=tuple(back.warnings))
    if found.whole_mm > 1000 * PLACE * max(rig.height, 0.01):
        said = f"base and difference are {found.whole_mm:.2f} mm off the clip that they were made of"
        raise WriteError(f"differs when it is read back: {said}", path, advice="Nothing was written.")
    held = {t.name for c in back.clips for t in c.tracks}
    lost = dict.fromkeys(t.name for c in clips for t in c.tracks if t.name not in held)
    note = (f"nothing in the file moves by {', '.join(lost)}: only the manifest contains them",) if lost else ()
    return found, (*back.warnings, *note)
