"""Several repairs of one kind as one step: corrections that act at different times, or on different joints."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import msgspec

from reflexa.checks.model import Repair
from reflexa.motion.clip import Clip
from reflexa.steps.correction import CorrectionSettings
from reflexa.steps.correction.edits import pose_key
from reflexa.steps.correction.settings import Key, Track


def one_step(repairs: Sequence[Repair], below: Clip) -> Repair | None:
    """One repair that does what several do; None where they cannot be one: of other kinds, or where two act on the same joint at
    the same time. below: the clip that they were found in."""
    first = repairs[0]
    if len(repairs) == 1:
        return first
    layers = _layers(repairs)
    if layers is None:
        return None
    if layers[0].how == "replace":
        return _bridges(repairs, layers, below)
    return None if first.envelope else _added(first, layers)


def joinable(repairs: Sequence[Repair]) -> bool:
    """True if several repairs can be one step; nothing is computed of it."""
    first, layers = repairs[0], _layers(repairs)
    if layers is None:
        return False
    return (
        _spans(repairs) is not None
        if layers[0].how == "replace"
        else not first.envelope and _added(first, layers) is not None
    )


def _layers(repairs: Sequence[Repair]) -> list[CorrectionSettings] | None:
    """The settings of corrections of one title and one way; None where they are not all such."""
    if any((r.title, r.kind) != (repairs[0].title, "correction") for r in repairs):
        return None
    layers = [msgspec.convert(dict(r.settings), CorrectionSettings) for r in repairs]
    return (
        layers if len({(x.how, x.cycle, bool(r.envelope)) for x, r in zip(layers, repairs, strict=True)}) == 1 else None
    )


def _spans(repairs: Sequence[Repair]) -> list[tuple[int, int, int]] | None:
    """When they act: first and last frame, where the envelope is zero, and which of them; None where two do at once."""
    spans = []
    for i, repair in enumerate(repairs):
        start = repair.envelope[0]
        for before, point in pairwise(repair.envelope):
            start = before if before[1] == 0 and point[1] > 0 else start
            if point[1] == 0 and before[1] > 0:
                spans.append((int(start[0]), int(point[0]), i))
    spans.sort()
    return None if any(b > c for (_, b, _), (c, _, _) in pairwise(spans)) else spans


def _added(first: Repair, layers: Sequence[CorrectionSettings]) -> Repair | None:
    """Keys of one joint, each layer's neutral at its ends, one after the other."""
    tracks: dict[str, Track] = {}
    for layer in layers:
        for track in layer.tracks:
            there = tracks.get(track.joint)
            if there is None:
                tracks[track.joint] = track
                continue
            parts = sorted((there.keys, track.keys), key=lambda keys: keys[0].frame)
            same = (there.space, there.drives, there.stay) == (track.space, track.drives, track.stay)
            apart = parts[0][-1].frame < parts[1][0].frame and parts[0][-1].neutral and parts[1][0].neutral
            if not same or not apart:
                return None
            tracks[track.joint] = msgspec.structs.replace(there, keys=(*parts[0], *parts[1]))
    settings = msgspec.structs.replace(layers[0], tracks=tuple(tracks.values()))
    return replace(first, settings=msgspec.to_builtins(settings))


def _bridges(repairs: Sequence[Repair], layers: Sequence[CorrectionSettings], below: Clip) -> Repair | None:
    """Layers that set poses, each in its span alone. A joint that is not meant in one of the spans has its own pose there, frame
    by frame."""
    spans = _spans(repairs)
    if spans is None:
        return None
    joints = dict.fromkeys(t.joint for layer in layers for t in layer.tracks)
    tracks = []
    for joint in joints:
        keys: dict[int, Key] = {}
        for a, b, i in spans:
            own = tuple(k for k in layers[i].track(joint).keys if a <= k.frame <= b)
            if not own:
                frames = (f for f in range(a, b + 1) if f < below.frames)
                own = tuple(msgspec.structs.replace(pose_key(below, joint, f, f), then="linear") for f in frames)
            keys |= {k.frame: k for k in own}
        tracks.append(Track(joint, tuple(keys[f] for f in sorted(keys))))
    settings = msgspec.structs.replace(layers[0], tracks=tuple(tracks))
    envelope = dict(p for r in repairs for p in r.envelope)
    return replace(
        repairs[0], settings=msgspec.to_builtins(settings), envelope=tuple((f, envelope[f]) for f in sorted(envelope))
    )
