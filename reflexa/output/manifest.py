"""The manifest beside a file of clips: what is in it, what it came of, and what is found in it."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from reflexa.checks import Judged, Subject, accepted, look
from reflexa.formats import FORMATS, Format, Imported, WriteOptions
from reflexa.formats.imported import UNITS
from reflexa.formats.registry import as_source
from reflexa.motion.clip import Clip
from reflexa.names import readable
from reflexa.output.additive import Whole
from reflexa.output.proof import ReadBack
from reflexa.rig import Rig
from reflexa.steps import SOURCE, Step, kind_of
from reflexa.take import Evaluation
from reflexa.take.recipe import Recipe, recipe_plain

# How a manifest's name ends; before it stands that of the clip's file.
MANIFEST = ".clip.json"


def manifest_path(path: Path) -> Path:
    """Where the manifest of a clip's file is: beside it."""
    return path.with_name(f"{path.name}{MANIFEST}")


@dataclass(frozen=True)
class Target:
    """Where to, in which format and how. overwrite: a file that is there may be replaced (never a source). inputs: files that are
    never written over, whatever is said."""

    path: Path
    format: str
    options: WriteOptions = WriteOptions()
    overwrite: bool = False
    inputs: tuple[Path, ...] = ()


@dataclass(frozen=True, eq=False)
class Origin:
    """What clips came from: the source file, the steps that were run, and model: the file of the rig that they are on now,
    to be written alike (left out, it is the source where the rig did not change). judged: the line that they came of, and what
    is found in its result. inputs: a digest of all that decides what is written, where it is known. whole, wholes,
    left_out: as ``HandedOver``."""

    source: Imported | None = None
    steps: tuple[Step, ...] = ()
    model: Imported | None = None
    judged: tuple[Evaluation, Judged] | None = None
    inputs: str = ""
    whole: Mapping[str, Clip] = field(default_factory=dict)
    wholes: Mapping[str, Whole] = field(default_factory=dict)
    left_out: Mapping[str, Any] = field(default_factory=dict)

    def model_for(self, rig: Rig) -> Imported | None:
        """The file that clips of a rig are written alike."""
        if self.model is None and self.source is not None and self.source.rig.key == rig.key:
            return self.source
        return self.model


NOWHERE = Origin()


def manifest_of(path: Path) -> dict[str, Any]:
    """What the manifest beside a clip's file says of it, of the first clip where it holds several; nothing where there is no
    manifest, or it is damaged."""
    try:
        plain = msgspec.json.decode(manifest_path(path).read_bytes())
        first = plain.get("clips", [plain])[0]
    except (OSError, msgspec.DecodeError, AttributeError, LookupError, RecursionError):
        return {}
    return first if isinstance(first, dict) else {}


def _noted(steps: tuple[Step, ...]) -> dict[str, str]:
    """What the steps say of themselves for the manifest, by what it is about, in the order in which they were run."""
    out: dict[str, str] = {}
    for step in steps:
        notes = kind_of(step.kind).notes
        for about, text in (notes(step.settings) if notes is not None and step.on else {}).items():
            out[about] = f"{out[about]}, then {text}" if about in out else text
    return out


def manifest(clip: Clip, rig: Rig, target: Target, origin: Origin, error: ReadBack) -> dict[str, Any]:
    """What a manifest says of one clip, as plain data. error: how well it read back."""
    joint = rig.travel_joint
    placed = clip.model[1][:, joint]
    travel = placed[-1] - placed[0]
    rest = hashlib.sha256()
    rest.update(repr(rig.skeleton.names).encode())
    rest.update(np.round(np.stack([*rig.skeleton.rest_model[1]]), 6).tobytes())
    source, notes = origin.source, _noted(origin.steps)
    return {
        "reflexa": "clip",
        "version": 1,
        "name": clip.name,
        "file": readable(target.path.name),
        "frames": clip.frames,
        "rate": clip.rate,
        "duration": round(clip.duration, 6),
        "loop": clip.loop,
        "root_motion": {
            "mode": notes.pop("root_motion", "as in the source"),
            "joint": rig.skeleton.names[joint],
            "travel_m": [round(v, 6) for v in travel.tolist()],
        },
        **({"notes": notes} if notes else {}),
        "events": [e.plain for e in clip.events],
        **({"additive": clip.additive.plain} if clip.additive is not None else {}),
        **({"play_rate": clip.play_rate} if clip.play_rate != 1 else {}),
        **({"tracks": {t.name: np.round(t.values, 6).tolist() for t in clip.tracks}} if clip.tracks else {}),
        "rig": rest.hexdigest(),
        **({"left_out": dict(origin.left_out)} if origin.left_out else {}),
        "source": {"file": readable(source.path.name), "sha256": source.sha256} if source else None,
        "recipe": recipe_plain(Recipe(clip.name, origin.steps)),
        **({"inputs": origin.inputs} if origin.inputs else {}),
        **({"findings": _found(clip, rig, origin)} if origin.judged is not None else {}),
        "unit": _unit(FORMATS[target.format], rig, origin.model_for(rig), target.options),
        "read_back_error_mm": round(error.mm, 6),
        "read_back_error_deg": round(error.degrees, 6),
        **({"read_back_notes": list(error.notes)} if error.notes else {}),
        **({"base_plus_difference_error_mm": round(error.whole_mm, 6)} if clip.additive is not None else {}),
    }


def _found(clip: Clip, rig: Rig, origin: Origin) -> list[dict[str, Any]]:
    """The findings of a clip as it is written, each with the name of the step that brought it in."""
    if origin.judged is None:
        return []
    line, judged = origin.judged
    names = {SOURCE: "source", **{s.id: s.name for s in line.take.steps}}
    brought = {(f.kind, f.joint): names.get(f.step, "") for f in judged.found}
    clip = origin.whole.get(clip.name, clip)
    # What was found in the whole result is known, and is so in a clip that is all of it.
    seen = line.result if _alike(clip, line.result) and rig is line.rig else clip
    found = look(Subject(seen, rig, line.take.stage, limits=judged.limits))
    plain = ((f, {**f.plain(), "step": brought.get((f.kind, f.joint), "")}) for f in found)
    return [{**p, **({"accepted": a} if (a := accepted(f, line.take.accepted)) else {})} for f, p in plain]


def _alike(a: Clip, b: Clip) -> bool:
    """True if two clips are one motion under two names."""
    same = a.rotations is b.rotations and a.translations is b.translations and a.scales is b.scales
    return same and (a.loop, a.rate, a.contacts) == (b.loop, b.rate, b.contacts)


def _unit(format: Format, rig: Rig, model: Imported | None, options: WriteOptions) -> str:
    """The unit of lengths in the file, in words."""
    alike = as_source(format, rig, model, options)
    if alike is not None:
        return alike.frame.unit if alike.frame.unit != "as told" else f"{alike.frame.unit_scale:g} m"
    scale = 1.0 if format.declares_unit else options.unit
    return next((name for name, s in UNITS.items() if s == scale), f"{scale:g} m")
