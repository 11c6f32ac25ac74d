"""Write a clip, read it back, compare, and only then say that it is there."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from reflexa.errors import ReflexaError, WriteError
from reflexa.formats import Imported, ReadOptions, WriteOptions, encode, read
from reflexa.formats.files import write_bytes
from reflexa.formats.imported import FACINGS
from reflexa.motion.clip import Clip
from reflexa.project.text import pretty
from reflexa.rig import Rig
from reflexa.steps import Step
from reflexa.steps.root_motion import RootMotionSettings
from reflexa.take import recipe_digest
from reflexa.take.recipe import recipe_plain

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class Proof:
    """What was written and how well it read back: largest position error in mm over all frames and joints."""

    path: Path
    manifest: Path
    frames: int
    rate: float
    error_mm: float
    warnings: tuple[str, ...]


def quiet(_text: str, _part: float) -> None:
    """Progress that nobody looks at."""


def export(
    clips: list[Clip], rig: Rig, path: Path, format: str, source: Imported | None = None,
    steps: tuple[Step, ...] = (), options: WriteOptions = WriteOptions(), overwrite: bool = False,  # noqa: B008
    progress: Progress = quiet, model: Imported | None = None,
) -> Proof:  # fmt: skip
    """Write clips and their manifest, whole or not at all, and prove them by reading them back.

    source: the file that the clips were made from, for the manifest. model: the file of the rig that they are on
    now, to be written alike; the source itself where the rig did not change (left out, it is).
    Raises WriteError where a file exists already, cannot be written, or reads back otherwise than it was written.
    """
    if model is None and source is not None and source.rig.key == rig.key:
        model = source
    manifest = path.with_name(f"{path.name}.clip.json")
    for target in (path, manifest):
        if target.exists() and not overwrite:
            raise WriteError("exists already", target, advice="Choose another name, or allow overwriting.")
        for file in (source, model):
            if file is not None and target.exists() and target.samefile(file.path):
                raise WriteError(
                    "is a source itself, which is never written over", target, advice="Choose another name."
                )
    progress("Encoding", 0.1)
    notes = {"source": digest(source.path) if source else "", "recipe": recipe_digest(steps)} if steps else {}
    data = encode(clips, rig, format, model, replace(options, notes=notes))
    progress("Reading back", 0.5)
    error, warnings = _read_back(data, clips, rig, path, model, options)
    progress("Writing", 0.9)
    write_bytes(path, data, overwrite)
    plain = [_manifest(c, rig, path, source, model, steps, error) for c in clips]
    write_bytes(manifest, pretty(plain[0] if len(plain) == 1 else {"clips": plain}).encode(), overwrite=True)
    progress("Done", 1.0)
    return Proof(path, manifest, clips[0].frames, clips[0].rate, error, warnings)


def digest(path: Path) -> str:
    """SHA-256 of a file's bytes."""
    return hashlib.sha256(path.read_bytes()).hexdigest()


def _read_back(
    data: bytes, clips: list[Clip], rig: Rig, path: Path, source: Imported | None, options: WriteOptions
) -> tuple[float, tuple[str, ...]]:
    """Largest position error in mm of what the bytes hold; raises WriteError where it is more than rounding."""
    unit = None
    if path.suffix == ".bvh":
        alike = source is not None and source.format == "bvh" and options.frame == "source"
        unit = source.frame.unit_scale if source is not None and alike else options.unit
    elif source is not None and source.frame.unit == "as told" and options.frame == "source":
        unit = source.frame.unit_scale
    with tempfile.TemporaryDirectory(prefix="reflexa-") as folder:
        copy = Path(folder) / path.name
        try:
            copy.write_bytes(data)
            positions = "replace"
            told = source is not None and options.frame == "source" and source.rig.facing_found_by == "told"
            facing = source.frame.facing if source is not None and told and source.frame.facing in FACINGS else ""
            back = read(copy, ReadOptions(unit, positions, facing))
        except ReflexaError as e:
            raise WriteError(f"did not read back ({e.reason})", path, advice="Nothing was written.") from None
        except OSError as e:
            raise WriteError(f"could not be checked: {os.strerror(e.errno or 0).lower()}", folder) from None
    if len(back.clips) < len(clips):
        raise WriteError(
            f"reads back as {len(back.clips)} clips instead of {len(clips)}",
            path,
            advice="Nothing was written.",
        )
    largest = 0.0
    for clip in clips:
        found = next((c for c in back.clips if c.name == clip.name), back.clips[0])
        if found.frames != clip.frames:
            raise WriteError(
                f"reads back with {found.frames} frames instead of {clip.frames}",
                path,
                advice="Nothing was written.",
            )
        shared = [n for n in clip.skeleton.names if n in found.skeleton.index]
        if len(shared) < len(clip.skeleton):
            raise WriteError("lost joints on the way", path, advice="Nothing was written.")
        order = [found.skeleton.index[n] for n in shared]
        largest = max(largest, float(np.abs(found.model[1][:, order] - clip.model[1]).max()))
    limit = 1e-4 * max(rig.height, float(np.abs(clips[0].model[1]).max()), 0.01)
    if largest > limit:
        raise WriteError(f"reads back {largest * 1000:.2f} mm off", path, advice="Nothing was written.")
    return largest * 1000, back.warnings


def _root_mode(steps: tuple[Step, ...]) -> str:
    """What the steps made of the root's motion, in the words of the settings; what they left alone is the source's."""
    said = [s.settings.operation for s in steps if s.on and isinstance(s.settings, RootMotionSettings)]
    return ", then ".join(said) or "as in the source"


def _manifest(
    clip: Clip,
    rig: Rig,
    path: Path,
    source: Imported | None,
    model: Imported | None,
    steps: tuple[Step, ...],
    error: float,
) -> dict[str, Any]:
    joint = rig.travel_joint
    placed = clip.model[1][:, joint]
    travel = placed[-1] - placed[0]
    rest = hashlib.sha256()
    rest.update(repr(rig.skeleton.names).encode())
    rest.update(np.round(np.stack([*rig.skeleton.rest_model[1]]), 6).tobytes())
    return {
        "reflexa": "clip",
        "version": 1,
        "name": clip.name,
        "file": path.name,
        "frames": clip.frames,
        "rate": clip.rate,
        "duration": round(clip.duration, 6),
        "loop": clip.loop,
        "root_motion": {
            "mode": _root_mode(steps),
            "joint": rig.skeleton.names[joint],
            "travel_m": [round(v, 6) for v in travel.tolist()],
        },
        "events": [{"frame": e.frame, "name": e.name} for e in clip.events],
        "rig": rest.hexdigest(),
        "source": {"file": source.path.name, "sha256": digest(source.path)} if source else None,
        "recipe": recipe_plain(clip.name, steps),
        "unit": "m" if path.suffix != ".bvh" else f"{model.frame.unit if model and model.format == 'bvh' else 'm'}",
        "read_back_error_mm": round(error, 6),
    }
