"""An encoder that does something else than it was asked to is found out: nothing is written then."""

from __future__ import annotations

import errno
import os
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import WriteError
from reflexa.formats import FORMATS, encode, files, read
from reflexa.motion import quat
from reflexa.motion.clip import Clip, Event, Track
from reflexa.output import proof
from reflexa.output import write as writing
from reflexa.output.manifest import Origin, Target
from reflexa.output.write import write
from tests.helpers.files import DECKHAND

ALL = [f.name for f in FORMATS.values() if f.encode is not None]


@cache
def given() -> tuple:
    document = read(DECKHAND)
    clip = next(c for c in document.clips if c.name == "rope haul")
    return document, replace(clip, events=(Event(3.0, "grip"), Event(20.0, "hauled")))


def ends(clip: Clip) -> list[int]:
    return [j for j in range(len(clip.skeleton)) if j not in clip.skeleton.parents]


def turned(clip: Clip) -> Clip:
    q = np.array(clip.rotations)
    q[:, ends(clip)] = quat.multiply(q[:, ends(clip)], quat.about(0, np.pi / 2))
    return clip.with_motion(q, clip.translations)


def moved(clip: Clip) -> Clip:
    t = np.array(clip.translations)
    t[:, 1] += 0.01
    return clip.with_motion(clip.rotations, t)


def scaled(clip: Clip) -> Clip:
    return replace(clip, scales=np.full((clip.frames, len(clip.skeleton), 3), 1.1))


NAMED = [n for n in ALL if n != "bvh"]
SABOTAGE = {
    "end joints turned": (turned, "is rotated by 90", ALL),
    "half the rate": (lambda c: replace(c, rate=c.rate / 2), "15 frames per second instead of 30", ALL),
    "a frame less": (lambda c: c.cut(0, c.frames - 2), "72 frames instead of 73", ALL),
    "a joint moved": (moved, "mm off at frame", ALL),
    "renamed": (lambda c: replace(c, name="another"), "it has no clip called 'rope haul'", NAMED),
    "a loop no longer": (lambda c: replace(c, loop=not c.loop), "it is not a loop", NAMED),
    "an event dropped": (lambda c: replace(c, events=c.events[:1]), "the event 'hauled' is lost", NAMED),
    "another play rate": (lambda c: replace(c, play_rate=0.5), "play rate of 0.5", NAMED),
    "scaled": (scaled, "", NAMED),
}


@pytest.mark.parametrize(
    ("what", "fmt"), [(what, fmt) for what, (_, _, formats) in SABOTAGE.items() for fmt in formats if fmt in ALL]
)
def test_whatever_is_lost_on_the_way_is_named(what: str, fmt: str, tmp_path: Path, monkeypatch) -> None:
    document, clip = given()
    spoil, said, _ = SABOTAGE[what]
    clip = replace(clip, loop=True)
    monkeypatch.setattr(writing, "encode", lambda clips, *rest: encode([spoil(c) for c in clips], *rest))
    path = tmp_path / f"a{FORMATS[fmt].suffix}"
    with pytest.raises(WriteError, match="differs when it is read back") as e:
        write([clip], document.rig, Target(path, fmt), Origin(None))
    assert said in e.value.reason and not any(tmp_path.iterdir())


def test_values_that_are_no_numbers_are_no_proof(tmp_path: Path, monkeypatch) -> None:
    document, clip = given()
    back = replace(document, clips=(clip,))
    q = np.array(clip.rotations)
    q[4, 2] = np.nan
    broken = object.__new__(Clip)
    broken.__dict__.update(clip.__dict__, rotations=q)
    found = proof.held_against([clip], document.rig, replace(back, clips=(broken,)), FORMATS["glb"])
    assert found.differs == ("it contains values that are not numbers",)


def test_tracks_are_held_against_each_other() -> None:
    document, clip = given()
    smile = replace(clip, tracks=(Track("smile", np.linspace(0, 1, clip.frames)),))
    other = replace(clip, tracks=(Track("smile", np.linspace(0, 0.9, clip.frames)),))
    found = proof.held_against([smile], document.rig, replace(document, clips=(other,)), FORMATS["glb"])
    assert found.differs == ("the values of the track 'smile' differ",)


@pytest.mark.parametrize("fails", [1, 2, 3, 4])
def test_clip_and_manifest_appear_together_or_not_at_all(fails: int, tmp_path: Path, monkeypatch) -> None:
    document, clip = given()
    path = tmp_path / "a.glb"
    write([clip], document.rig, Target(path, "glb"), Origin(document))
    before = {p.name: p.read_bytes() for p in tmp_path.iterdir()}
    count = 0
    real = os.fsync if fails < 3 else os.replace

    def failing(*args):
        nonlocal count
        count += 1
        if count == (fails if fails < 3 else fails - 2):
            raise OSError(errno.ENOSPC, "No space left on device")
        return real(*args)

    monkeypatch.setattr(files.os, "fsync" if fails < 3 else "replace", failing)
    with pytest.raises(WriteError, match="no space left"):
        write([clip.cut(0, 9)], document.rig, Target(path, "glb", overwrite=True), Origin(document))
    monkeypatch.undo()
    assert {p.name: p.read_bytes() for p in tmp_path.iterdir()} == before
