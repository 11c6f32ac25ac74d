"""A toy kind of step, format and finding: what somebody new to the code would write, each in one file."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import numpy as np
from msgspec import Meta

from reflexa.checks.model import Check, Finding, Repair, Subject
from reflexa.errors import ReadError
from reflexa.formats.bvh import FORMAT as BVH
from reflexa.formats.bvh import write as write_bvh
from reflexa.formats.imported import Imported, ReadOptions
from reflexa.formats.model import Format, WriteOptions
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps.model import Context, Given, Outcome, Settings, StepKind

# A kind of step -------------------------------------------------------------------------------------------------


class WobbleSettings(Settings, frozen=True):
    far: Annotated[float, Meta(title="How far", ge=0, le=90, description="To either side.", extra={"unit": "cm"})] = 5.0
    times: Annotated[int, Meta(title="How often", ge=1, le=20, description="Through the clip.")] = 2


def _wobble(given: Given, settings: WobbleSettings, _: Context) -> Outcome:
    clip = given.clip
    side = np.sin(np.linspace(0, 2 * np.pi * settings.times, clip.frames)) * settings.far / 100
    translations = np.array(clip.translations)
    translations[:, clip.skeleton.root_of(given.rig.travel_joint), 0] += side
    return given.changed(replace(clip, translations=translations))


WOBBLE = StepKind(
    "toy-wobble",
    "Wobble",
    "The figure sways from side to side as on a small boat.",
    WobbleSettings,
    _wobble,
    summary=lambda s: f"{s.far:g} cm to either side",
)

# A format: BVH behind a line of its own -------------------------------------------------------------------------

_HEAD = b"TOY 1\n"


def _read(path: Path, options: ReadOptions) -> Imported:
    data = path.read_bytes()
    if not data.startswith(_HEAD):
        raise ReadError("does not begin with TOY 1", path, "line 1")
    with tempfile.TemporaryDirectory() as folder:
        inner = Path(folder) / f"{path.stem}.bvh"
        inner.write_bytes(data[len(_HEAD) :])
        return replace(BVH.read(inner, options), path=path, format="toy")


def _encode(clips: list[Clip], rig: Rig, _: Imported | None, options: WriteOptions) -> bytes:
    return _HEAD + write_bvh(clips[0], rig, None, options)


TOY = Format(
    "toy", "Toy text", (".toy",), _read, lambda data: data.startswith(_HEAD), _encode, several_clips=False,
    several_roots=False, declares_unit=False,
)  # fmt: skip

# A finding ------------------------------------------------------------------------------------------------------


def _run(subject: Subject) -> list[Finding]:
    clip, last = subject.clip, subject.clip.frames - 1
    if clip.frames < 40:
        return []
    repair = Repair("Let it wobble", "toy-wobble", {"far": 2.0})
    text = "The clip is longer than a toy should be"
    return [Finding("toy length", clip.skeleton.names[0], text, (0, last), last, clip.frames, 39, "frames", repair)]


LONG = Check("toy-length", "Longer than a toy", "The clip has more than 39 frames.", _run, kinds=("toy length",))
