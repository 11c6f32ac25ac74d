"""Write a clip, read it back, compare, and only then say that it is there."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from reflexa.batch.naming import changed_name, clips_by_file
from reflexa.batch.proof import ReadBack, held_against
from reflexa.checks import Judged, Subject, accepted, judge, look
from reflexa.errors import RecipeError, ReflexaError, WriteError
from reflexa.formats import FORMATS, Format, Imported, ReadOptions, WriteOptions, encode, read
from reflexa.formats.files import write_together
from reflexa.formats.imported import FACINGS, UNITS
from reflexa.formats.registry import as_source
from reflexa.motion.clip import Clip
from reflexa.names import readable
from reflexa.progress import Progress, quiet
from reflexa.project.text import pretty
from reflexa.rig import Rig
from reflexa.steps import SOURCE, Step, kind_of
from reflexa.take import Evaluation, Export, exported_clips, recipe_digest
from reflexa.take.recipe import Recipe, recipe_plain
from reflexa.words import counted

# How a manifest's name ends; before it stands that of the clip's file.
MANIFEST = ".clip.json"


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
    is found in its result. inputs: a digest of all that decides what is written, where it is known."""

    source: Imported | None = None
    steps: tuple[Step, ...] = ()
    model: Imported | None = None
    judged: tuple[Evaluation, Judged] | None = None
    inputs: str = ""

    def model_for(self, rig: Rig) -> Imported | None:
        """The file that clips of a rig are written alike."""
        if self.model is None and self.source is not None and self.source.rig.key == rig.key:
            return self.source
        return self.model


NOWHERE = Origin()


def _found(clip: Clip, rig: Rig, origin: Origin) -> list[dict[str, Any]]:
    """The findings of a clip as it is written, each with the name of the step that brought it in."""
    if origin.judged is None:
        return []
    line, judged = origin.judged
    names = {SOURCE: "source", **{s.id: s.name for s in line.take.steps}}
    brought = {(f.kind, f.joint): names.get(f.step, "") for f in judged.found}
    found = look(Subject(clip, rig, line.take.stage, limits=judged.limits))
    plain = ((f, {**f.plain(), "step": brought.get((f.kind, f.joint), "")}) for f in found)
    return [{**p, **({"accepted": a} if (a := accepted(f, line.take.accepted)) else {})} for f, p in plain]


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


@dataclass(frozen=True)
class Into:
    """The folder that takes are written into. overwrite: files that are there may be replaced (never a source).
    limits: thresholds other than they come, by which the manifests say what is found."""

    folder: Path
    overwrite: bool = False
    limits: Mapping[str, float] = field(default_factory=dict)


def export_take(
    line: Evaluation, export: Export, source: Imported, documents: Iterable[Imported], into: Into,
    progress: Progress = quiet,
) -> Proof:  # fmt: skip
    """Write the result of an evaluated take as its export settings say, its ranges as clips of their own, and prove it; of
    several files the proof of the first, which names the others.

    documents: files, one of which may be of the rig that the result is on. Raises RecipeError where a step could not be
    run, WriteError as ``export`` does, ValueError where the range lies outside the clip.
    """
    if line.refused:
        said = "  ".join(f"{s.name}: {line.refused[s.id]}" for s in line.take.steps if s.id in line.refused)
        raise RecipeError(
            said, advice="Complete its settings, or switch the step off. A clip is not written without it."
        )
    name = export.name or line.take.name
    clips = exported_clips(line, replace(export, name=name))
    documents = tuple(documents)
    inputs = tuple(d.path for d in documents)
    key = line.rig.key
    model = source if source.rig.key == key else next((d for d in documents if d.rig.key == key), None)
    steps = tuple(s for s in line.take.steps if s.on)
    format, apart = FORMATS[export.format], bool(line.take.ranges) and export.ranges == "apart"
    judged = line, judge(line, into.limits, source.notes_on(line.clips[0].name))
    proofs: list[Proof] = []
    for own, together in clips_by_file(name, clips, format, apart).items():
        target = Target(into.folder / own, export.format, WriteOptions(export.frame), into.overwrite, inputs)
        proofs.append(write(together, line.rig, target, Origin(source, steps, model, judged), progress))
    renamed = changed_name(name)
    warnings = tuple(dict.fromkeys([*([renamed] if renamed else []), *(w for p in proofs for w in p.warnings)]))
    findings = tuple(f for p in proofs for f in p.findings)
    return replace(proofs[0], others=tuple(p.path for p in proofs[1:]), warnings=warnings, findings=findings)


def manifest_of(path: Path) -> dict[str, Any]:
    """What the manifest beside a clip's file says of it, of the first clip where it holds several; nothing where there is no
    manifest, or it is damaged."""
    try:
        plain = msgspec.json.decode(path.with_name(f"{path.name}{MANIFEST}").read_bytes())
        first = plain.get("clips", [plain])[0]
    except (OSError, msgspec.DecodeError, AttributeError, LookupError, RecursionError):
        return {}
    return first if isinstance(first, dict) else {}


def write(clips: list[Clip], rig: Rig, target: Target, origin: Origin = NOWHERE, progress: Progress = quiet) -> Proof:
    """Write clips and their manifest, whole or not at all, and prove them by reading them back.

    progress may raise to stop it: nothing is written then. Raises WriteError where a file exists already, cannot be
    written, or reads back otherwise than it was written.
    """
    path, model = target.path, origin.model_for(rig)
    manifest = path.with_name(f"{path.name}{MANIFEST}")
    for file in (path, manifest):
        free(file, target.overwrite, (*target.inputs, *(d.path for d in (origin.source, model) if d is not None)))
    progress("Encoding", 0.1)
    notes: dict[str, Any] = {}
    if origin.steps:
        notes = {"source": origin.source.sha256 if origin.source else "", "recipe": recipe_digest(origin.steps)}
    data = encode(clips, rig, target.format, model, replace(target.options, notes=notes))
    progress("Reading back", 0.5)
    error, warnings = _read_back(data, clips, rig, target, model)
    progress("Writing", 0.9)
    plain = [_manifest(c, rig, target, origin, error) for c in clips]
    text = pretty(plain[0] if len(plain) == 1 else {"clips": plain}).encode()
    write_together({path: data, manifest: text}, target.overwrite)
    progress("Done", 1.0)
    findings = [f"{p['name']}: {f['text']}" for p in plain for f in p.get("findings", ()) if not f.get("accepted")]
    first = clips[0]
    return Proof(
        path, manifest, first.frames, first.rate, error.mm, error.degrees, warnings, findings=tuple(findings)
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
    told = alike is not None and alike.rig.facing_found_by == "told" and alike.frame.facing in FACINGS
    # Position channels are left to the reader, as whoever reads the file next has nothing but the values either.
    return ReadOptions(unit, facing=alike.frame.facing if told and alike is not None else "")


def _unit(format: Format, rig: Rig, model: Imported | None, options: WriteOptions) -> str:
    """The unit of lengths in the file, in words."""
    alike = as_source(format, rig, model, options)
    if alike is not None:
        return alike.frame.unit if alike.frame.unit != "as told" else f"{alike.frame.unit_scale:g} m"
    scale = 1.0 if format.declares_unit else options.unit
    return next((name for name, s in UNITS.items() if s == scale), f"{scale:g} m")


def _read_back(
    data: bytes, clips: list[Clip], rig: Rig, target: Target, model: Imported | None
) -> tuple[ReadBack, tuple[str, ...]]:
    """How well bytes read back, and what there is to be said of them; raises WriteError where they hold anything else than what
    was to be in them."""
    path, format = target.path, FORMATS[target.format]
    with tempfile.TemporaryDirectory(prefix="reflexa-") as folder:
        copy = Path(folder) / f"clip{format.suffix}"
        try:
            copy.write_bytes(data)
            back = read(copy, _reading(format, rig, model, target.options))
        except ReflexaError as e:
            raise WriteError(f"could not be read back ({e.reason})", path, advice="Nothing was written.") from None
        except OSError as e:
            raise WriteError(f"could not be checked: {os.strerror(e.errno or 0).lower()}", folder) from None
    found = held_against(clips, rig, back, format)
    if found.differs:
        more = f", and {len(found.differs) - 3} more" if len(found.differs) > 3 else ""
        said = "; ".join(found.differs[:3]) + more
        raise WriteError(f"differs when it is read back: {said}", path, advice="Nothing was written.")
    held = {t.name for c in back.clips for t in c.tracks}
    lost = dict.fromkeys(t.name for c in clips for t in c.tracks if t.name not in held)
    note = (f"nothing in the file moves by {', '.join(lost)}: only the manifest contains them",) if lost else ()
    return found, (*back.warnings, *note)


def _noted(steps: tuple[Step, ...]) -> dict[str, str]:
    """What the steps say of themselves for the manifest, by what it is about, in the order in which they were run."""
    out: dict[str, str] = {}
    for step in steps:
        notes = kind_of(step.kind).notes
        for about, text in (notes(step.settings) if notes is not None and step.on else {}).items():
            out[about] = f"{out[about]}, then {text}" if about in out else text
    return out


def _manifest(clip: Clip, rig: Rig, target: Target, origin: Origin, error: ReadBack) -> dict[str, Any]:
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
        "events": [{"frame": e.frame, "name": e.name} for e in clip.events],
        **({"play_rate": clip.play_rate} if clip.play_rate != 1 else {}),
        **({"tracks": {t.name: np.round(t.values, 6).tolist() for t in clip.tracks}} if clip.tracks else {}),
        "rig": rest.hexdigest(),
        "source": {"file": readable(source.path.name), "sha256": source.sha256} if source else None,
        "recipe": recipe_plain(Recipe(clip.name, origin.steps)),
        **({"inputs": origin.inputs} if origin.inputs else {}),
        **({"findings": _found(clip, rig, origin)} if origin.judged is not None else {}),
        "unit": _unit(FORMATS[target.format], rig, origin.model_for(rig), target.options),
        "read_back_error_mm": round(error.mm, 6),
        "read_back_error_deg": round(error.degrees, 6),
    }
