"""What is in a file, as plain data for ``info --json`` and as text for people."""

from __future__ import annotations

from typing import Any

import numpy as np

from reflexa.formats import Imported
from reflexa.formats.imported import unit_said
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.problems import problems
from reflexa.rig.rest_ends import rest_ends
from reflexa.words import counted


def _rounded(values: Any, digits: int = 6) -> list[float]:
    return [round(float(v), digits) + 0.0 for v in np.asarray(values).ravel()]


def rig_plain(rig: Rig) -> dict[str, Any]:
    """Body map, pairs, centre, unpaired and helper joints, as the contract lays them out."""
    return {
        "body_map": {p: names[0] if len(names) == 1 else list(names) for p, names in rig.body_map.items()},
        "pairs": [
            {
                "left": p.left,
                "right": p.right,
                "found_by": p.found_by,
                "residual_mm": round(p.residual_mm, 3),
                "residual_deg": round(p.residual_deg, 3),
                "sure": p.sure,
            }
            for p in rig.pairs
        ],
        "centre": list(rig.centre),
        "unpaired": list(rig.unpaired),
        "helpers": {n: h.follows for n, h in rig.helpers.items()},
        "helper_rules": [
            {"joint": n, "follows": h.follows, "how": h.how, "found_by": h.found_by, "sure": h.sure}
            for n, h in rig.helpers.items()
        ],
        "found": {p: {"by": f.by, "sure": f.sure} for p, f in rig.found.items()},
        "chains": {name: list(joints) for name, joints in rig.chains.items()},
        "twists": dict(rig.twists),
        "problems": [
            {"kind": p.kind, "joints": list(p.joints), "text": p.text, "mm": round(p.mm, 3), "deg": round(p.degrees, 3)}
            for p in problems(rig)
        ],
        "key": rig.key,
    }


def travel(clip: Clip, rig: Rig) -> dict[str, Any]:
    """Which joint carries the clip over the ground, how far (metres, start to end) and how fast on average."""
    placed = clip.model[1][:, rig.travel_joint]
    way = placed[-1] - placed[0]
    ground = float(np.linalg.norm(way[[0, 2]]))
    return {
        "joint": clip.skeleton.names[rig.travel_joint],
        "vector_m": _rounded(way),
        "distance_m": round(ground, 6),
        "speed_m_s": round(ground / clip.duration, 6) if clip.duration > 0 else 0.0,
    }


def plain(document: Imported) -> dict[str, Any]:
    """One file of ``info --json``."""
    skeleton, frame = document.rig.skeleton, document.frame
    joints = [
        {
            "name": name,
            "parent": skeleton.names[parent] if parent >= 0 else None,
            "rest_translation": _rounded(skeleton.rest_translations[i]),
            "rest_rotation": _rounded(skeleton.rest_rotations[i]),
        }
        for i, (name, parent) in enumerate(zip(skeleton.names, skeleton.parents.tolist(), strict=True))
    ]
    return {
        "path": str(document.path),
        "format": document.format,
        "generator": document.generator,
        "import": {
            "unit": frame.unit,
            "unit_scale": frame.unit_scale,
            "axes": f"{frame.up} up",
            "facing": frame.facing,
            "facing_found_by": document.rig.facing_found_by,
            "baked": list(frame.baked),
        },
        "skeleton": {"joints": joints, "height": round(document.rig.height, 4)},
        "rig": rig_plain(document.rig),
        "clips": [
            {
                "name": c.name,
                "frames": c.frames,
                "rate": c.rate,
                "duration": round(c.duration, 6),
                "loop": c.loop,
                "events": [e.plain for e in c.events],
                "tracks": [t.name for t in c.tracks],
                "play_rate": c.play_rate,
                **({"additive": c.additive.plain} if c.additive is not None else {}),
                "rest_ends": list(rest_ends(c, document.rig)),
                "travel": travel(c, document.rig),
            }
            for c in document.clips
        ],
        "warnings": list(document.warnings),
    }


def lines(document: Imported) -> list[str]:
    """The same for people, shortest useful form first."""
    rig, frame = document.rig, document.frame
    out = [f"{counted(len(rig.skeleton), 'joint')}, {rig.height:.2f} m high in rest"]
    turned = "" if frame.facing == "+Z" and frame.up == "+Y" else " (turned to +Y up, facing +Z)"
    out.append(f"Unit {unit_said(frame.unit)} ({frame.unit_scale:.4g} m), {frame.up} up, facing {frame.facing}{turned}")
    if frame.baked:
        out.append(f"Parent transforms taken in: {', '.join(frame.baked)}")
    for c in document.clips:
        way = travel(c, rig)
        out.append(
            f"Clip {c.name}: {counted(c.frames, 'frame')} at {c.rate:g} fps, {c.duration:.2f} s, "
            f"travels {way['distance_m']:.2f} m"
            + (f"; plays at {c.play_rate:g} times that speed" if c.play_rate != 1 else "")
            + (f"; additive: the difference from {c.additive.base}" if c.additive is not None else "")
        )
        if c.tracks:
            out.append(f"Tracks of {c.name}: {', '.join(t.name for t in c.tracks)}")
        for count, where in zip(rest_ends(c, rig), ("head", "tail"), strict=True):
            if count:
                frames = counted(count, "frame")
                out.append(f"Note: {c.name} has {frames} of rest pose at the {where}: Trim leaves them out.")
    if not document.clips:
        out.append("No clip: a rig in its rest pose")
    worst = max(rig.pairs, key=lambda p: p.residual_mm, default=None)
    residual = f", at most {worst.residual_mm:.1f} mm from a reflection ({worst.left})" if worst else ""
    out.append(f"{counted(len(rig.pairs), 'pair')}{residual}; {len(rig.centre)} on the centre line")
    if rig.unpaired:
        out.append(f"Without a partner: {', '.join(rig.unpaired)}")
    if rig.chains:
        out.append("Free chains: " + ", ".join(f"{n} ({len(j)})" for n, j in rig.chains.items()))
    if rig.helpers:
        out.append("Helper joints: " + ", ".join(f"{n} follows {h.follows}" for n, h in rig.helpers.items()))
    return out + [f"Note: {w}" for w in document.warnings]
