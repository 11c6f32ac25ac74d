"""A review page: one file that shows takes in any browser, from disk, without a network."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from reflexa import describe
from reflexa.checks import accepted
from reflexa.draw import palette as palettes
from reflexa.draw.figure import LEFT, RIGHT
from reflexa.draw.palette import GRID, Palette
from reflexa.errors import WriteError
from reflexa.formats.files import write_bytes
from reflexa.progress import Progress, quiet
from reflexa.review import packed
from reflexa.review.measures import MEASURES, Measure, measured
from reflexa.review.shell import assembled, block
from reflexa.review.stills import view_called
from reflexa.review.subjects import Reviewed
from reflexa.review.words import step_words
from reflexa.rig import Rig
from reflexa.steps import SOURCE
from reflexa.words import counted

# What is plotted: of the figure, and of these parts of it.
_PLOTTED = (
    ("root speed", ""), ("height", "pelvis"), ("left knee", ""), ("right knee", ""), ("height", "left foot"),
    ("height", "right foot"), ("speed", "left hand"), ("speed", "right hand"),
)  # fmt: skip
_STANDARD = ("three-quarter", "front", "left side", "right side", "back", "top")


def page(subjects: Sequence[Reviewed], title: str = "", progress: Progress = quiet) -> bytes:
    """The page of some clips or takes, with an index where there are several. progress may raise to stop it."""
    figures: dict[str, str] = {}
    blocks: list[str] = []

    def figure(rig: Rig) -> str:
        key = rig.digest
        if key not in figures:
            figures[key] = f"model-{len(figures)}"
            blocks.append(block(figures[key], packed.model(rig)))
        return figures[key]

    for i, subject in enumerate(subjects):
        progress(subject.name, i / max(len(subjects), 1))
        blocks.append(block(f"take-{i}", _take(subject, figure)))
    title = title or (subjects[0].name if len(subjects) == 1 else f"{len(subjects)} takes")
    book = {
        "title": title,
        "takes": [s.name for s in subjects],
        "looks": [_look(palettes.DAYLIGHT), _look(palettes.NIGHT)],
    }
    return assembled("page", "review page", title, "\n".join([block("book", book), *blocks]))


def save_page(
    subjects: Sequence[Reviewed], path: Path, title: str = "", overwrite: bool = False, progress: Progress = quiet
) -> Path:
    """Write the page, whole or not at all. Raises WriteError."""
    if path.exists() and not overwrite:
        raise WriteError("exists already", path, advice="Use another name, or allow overwriting.")
    write_bytes(path, page(subjects, title, progress), overwrite)
    return path


def _look(p: Palette) -> dict[str, Any]:
    fine, strong = GRID[p.name]
    return {
        "sky": p.sky, "floor": p.floor, "shadow": p.shadow, "before": p.before, "fine": fine, "strong": strong,
        "sides": [LEFT, RIGHT, p.rgb("quiet"), p.rgb("warn")],
    }  # fmt: skip


def _take(s: Reviewed, figure: Any) -> dict[str, Any]:
    (after, rig), (before, rig_before) = s.after, s.before
    changed = after is not before
    way = describe.travel(after, rig)
    names = {SOURCE: "the source", **{step.id: step.name for step in s.line.take.steps}}
    return {
        "name": s.name,
        "frames": after.frames,
        "rate": after.rate,
        "speed": after.play_rate,
        "loop": after.loop,
        "height": rig.height,
        "steps": [step_words(step) for step in s.line.take.steps],
        "findings": [
            {
                "text": f.text, "kind": f.kind, "joint": f.joint, "first": f.frames[0], "last": f.frames[1], "worst": f.worst,
                "size": round(f.size, 4), "unit": f.unit, "step": names.get(f.step, "") if s.line.take.steps else "",
                "accepted": accepted(f, s.line.take.accepted),
            } for f in sorted(s.judged.found, key=lambda f: -f.weight)
        ],
        "events": [{"frame": e.frame, "name": e.label} for e in after.events],
        "views": _views(s),
        "measures": _measures(s),
        "facts": f"{counted(after.frames, 'frame')} at {after.rate:g} fps, {after.duration:.2f} s. {way['joint']} travels "
        f"{way['distance_m']:.2f} m.",
        "map": s.frames_before.tolist() if changed else None,
        "after": {"model": figure(rig), **packed.motion(after, rig)},
        "before": {"model": figure(rig_before), **packed.motion(before, rig_before)} if changed else None,
    }  # fmt: skip


def _views(s: Reviewed) -> list[dict[str, Any]]:
    saved = [asdict(v) for v in s.line.take.views]
    return [*saved, *(asdict(view_called(s, name)) for name in _STANDARD if s.view(name) is None)]


def _measures(s: Reviewed) -> list[dict[str, Any]]:
    """Curves of the result, and of the source by the result's time."""
    out = []
    (after, rig), (before, rig_before) = s.after, s.before
    for id_, part in _PLOTTED:
        m = MEASURES[id_]
        now = _values(m, part, after, rig)
        if now is None:
            continue
        was = _values(m, part, before, rig_before) if after is not before else None
        out.append({
            "title": f"{m.title}, {part}" if part else m.title, "unit": m.unit, "after": np.round(now, 3).tolist(),
            "before": None if was is None else np.round(was[s.frames_before], 3).tolist(),
        })  # fmt: skip
    return out


def _values(m: Measure, part: str, clip: Any, rig: Rig) -> Any:
    joint = rig.joint(part) if part else -1
    if part and joint < 0:
        return None
    return measured(m, clip, rig, (rig.skeleton.names[joint],) if part else ())
