"""From an evaluated take to its files: the one way, for every command and the window."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from reflexa.checks import judge
from reflexa.errors import RecipeError
from reflexa.formats import FORMATS, STANDARD, Imported, WriteOptions
from reflexa.output.hand_over import HandedOver, handed_over
from reflexa.output.manifest import Origin, Target, manifest_of
from reflexa.output.naming import changed_name, clips_by_file
from reflexa.output.write import Proof, write
from reflexa.progress import Progress, quiet
from reflexa.rig import Rig
from reflexa.take import Evaluation, Export


@dataclass(frozen=True)
class Into:
    """The folder that files go into, their format and how it is written. apart: each clip in a file of its own. overwrite: files
    that exist may be replaced (never a source). inputs: files that are never replaced. limits: thresholds other than the
    defaults, by which the manifests list findings. taken_up_again: a run that was interrupted wrote some of them, and those
    that were made from the same inputs may be replaced."""

    folder: Path
    overwrite: bool = False
    limits: Mapping[str, float] = field(default_factory=dict)
    format: str = STANDARD
    options: WriteOptions = WriteOptions()
    apart: bool = False
    inputs: tuple[Path, ...] = ()
    taken_up_again: bool = False


def write_clips(
    name: str, handed: HandedOver, rig: Rig, into: Into, origin: Origin, progress: Progress = quiet
) -> tuple[Proof, ...]:  # fmt: skip
    """Write the clips that one result is handed over as to a file of that name, or to one each, and prove every file.

    Raises RecipeError where two clips would go into one file, WriteError as ``write`` does.
    """
    renamed = changed_name(name)
    proofs = []
    origin = replace(origin, whole=handed.whole, wholes=handed.wholes, left_out=handed.left_out)
    options = replace(into.options, joints=handed.joints)
    for file, together in clips_by_file(name, handed.clips, FORMATS[into.format], into.apart).items():
        path = into.folder / file
        ours = into.taken_up_again and manifest_of(path).get("inputs") == origin.inputs
        target = Target(path, into.format, options, into.overwrite or ours, into.inputs)
        proof = write(together, rig, target, origin, progress)
        proofs.append(replace(proof, warnings=(renamed, *proof.warnings)) if renamed else proof)
    return tuple(proofs)


def export_take(
    line: Evaluation, export: Export, source: Imported, documents: Iterable[Imported], into: Into,
    progress: Progress = quiet,
) -> Proof:  # fmt: skip
    """Write the result of an evaluated take as its export settings say, its ranges as clips of their own, and prove it; of
    several files the proof of the first, which names the others.

    documents: files, one of which may be of the rig that the result is on. Raises RecipeError where a step could not be
    run, WriteError as ``write`` does, ValueError where the range lies outside the clip.
    """
    if line.refused:
        said = "  ".join(f"{s.name}: {line.refused[s.id]}" for s in line.take.steps if s.id in line.refused)
        raise RecipeError(
            said, advice="Complete its settings, or switch the step off. A clip is not written without it."
        )
    name = export.name or line.take.name
    ranges = line.take.ranges
    handed = handed_over(line.result, line.rig, ranges, replace(export, name=name), line.drawn_on)
    documents = tuple(documents)
    model = source if source.rig.key == line.rig.key else None
    model = model or next((d for d in documents if d.rig.key == line.rig.key), None)
    steps = tuple(s for s in line.take.steps if s.on)
    judged = line, judge(line, into.limits, source.notes_on(line.clips[0].name))
    into = replace(
        into, format=export.format, options=WriteOptions(export.frame), apart=bool(ranges) and export.ranges == "apart",
        inputs=tuple(d.path for d in documents),
    )  # fmt: skip
    proofs = write_clips(name, handed, line.rig, into, Origin(source, steps, model, judged), progress)
    warnings = tuple(dict.fromkeys(w for p in proofs for w in p.warnings))
    findings = tuple(f for p in proofs for f in p.findings)
    return replace(proofs[0], others=tuple(p.path for p in proofs[1:]), warnings=warnings, findings=findings)
