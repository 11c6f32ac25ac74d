"""What a build made, as one page: every clip moving, what is found in it, and what changed since the build before, in numbers."""

from __future__ import annotations

import base64
import shutil
import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from reflexa.draw import palette as palettes
from reflexa.draw.figure import LEFT, RIGHT
from reflexa.errors import ReflexaError
from reflexa.formats import Imported, read
from reflexa.library.light import Light, Strokes, light, strokes
from reflexa.motion.clip import Clip
from reflexa.motion.compare import compare
from reflexa.progress import Progress, quiet
from reflexa.review.shell import assembled, block
from reflexa.words import counted

# What tells such a page from any other.
MARK = b'content="Reflexa build report"'
# All figures together take no more than this, bytes of text: poses are left out evenly until they do.
_ROOM = 3_500_000
# Two files of one motion differ by no more than what they round to: mm and degrees.
_SAME_MM, _SAME_DEG = 0.01, 0.01


@dataclass(frozen=True)
class Outcome:
    """What became of a take: ``built``, ``up to date``, ``failed`` or ``not touched``; why; its files, and the findings left in
    it in words, now and after the build before (None: it was not built before)."""

    name: str
    status: str
    why: str
    files: tuple[Path, ...]
    findings: tuple[str, ...]
    findings_before: tuple[str, ...] | None = None


@contextmanager
def kept(files: Iterable[Path]) -> Iterator[dict[Path, Path]]:
    """Copies of files that are there, as they are before a build writes over them: file → copy, for as long as it takes."""
    with tempfile.TemporaryDirectory(prefix="reflexa-before-") as folder:
        out = {}
        for i, path in enumerate(files):
            if path.is_file():
                out[path] = Path(shutil.copy2(path, Path(folder) / f"{i}{path.suffix}"))
        yield out


def set_page(
    title: str, outcomes: Sequence[Outcome], before: Mapping[Path, Path], progress: Progress = quiet
) -> bytes:  # fmt: skip
    """The page of a build. before: copies of the files as they were. progress may raise to stop it."""
    figures: dict[Strokes, int] = {}
    takes, shown = list[dict[str, Any]](), list[tuple[dict[str, Any], Light]]()
    for i, outcome in enumerate(outcomes):
        progress(outcome.name, i / max(len(outcomes), 1))
        clips = list[dict[str, Any]]()
        problem = ""
        for path in outcome.files:
            try:
                old = path if outcome.status == "up to date" else before.get(path)
                clips += _clips(read(path), old, path.name, figures, shown)
            except ReflexaError as e:
                problem = str(e) if path.exists() else problem
        takes.append({
            "name": outcome.name, "status": outcome.status, "why": outcome.why or problem, "clips": clips,
            "findings": list(outcome.findings), "before": _count(outcome.findings_before),
        })  # fmt: skip
    most = max(2, int(_ROOM * 3 / 4 / 6 / max(sum(entry["points"] for entry, _ in shown), 1)))
    for entry, figure in shown:
        at = np.unique(np.round(np.linspace(0, len(figure.points) - 1, min(len(figure.points), most))).astype(int))
        data = np.ascontiguousarray(figure.points[at]).astype("<u2").tobytes()
        entry |= {"poses": len(at), "data": base64.b64encode(data).decode()}
    book = {
        "title": title, "takes": takes, "figures": [_figure(s) for s in figures],
        "looks": [_look(p) for p in (palettes.DAYLIGHT, palettes.NIGHT)],
    }  # fmt: skip
    return assembled("set", "build report", title, block("book", book))


def _count(findings: tuple[str, ...] | None) -> int | None:
    return None if findings is None else len(findings)


def _clips(
    document: Imported, before: Path | None, file: str, figures: dict[Strokes, int], shown: list[tuple[dict[str, Any], Light]]
) -> list[dict[str, Any]]:  # fmt: skip
    """The clips of a file, each with its figure."""
    drawn = strokes(document.rig)
    number = figures.setdefault(drawn, len(figures))
    old = document if before == document.path else _read(before)
    out = []
    for clip in document.clips:
        figure = light(clip, document.rig, drawn)
        step, low = figure.scale
        entry: dict[str, Any] = {
            "name": clip.name, "file": file, "frames": clip.frames, "rate": clip.rate, "seconds": round(clip.duration, 3),
            "loop": clip.loop, "additive": clip.additive is not None, "height": round(float(document.rig.height), 4),
            "figure": number, "points": len(drawn.joints), "step": step, "low": low, "changed": _changed(clip, old),
        }  # fmt: skip
        shown.append((entry, figure))
        out.append(entry)
    return out


def _read(path: Path | None) -> Imported | None:
    try:
        return read(path) if path is not None else None
    except ReflexaError:
        return None


def _changed(clip: Clip, before: Imported | None) -> dict[str, Any]:
    """What is another than in the build before: in words, and the largest move (mm) and turn (degrees) of a joint, with where."""
    old = None
    if before is not None:
        old = before.clips.named(clip.name) or (before.clips[0] if len(before.clips) == 1 else None)
    if old is None:
        return {"how": "new"}
    found, said = compare(old, clip), list[str]()
    if old.frames != clip.frames:
        said.append(f"{counted(old.frames, 'frame')} → {clip.frames}")
    if old.rate != clip.rate:
        said.append(f"{old.rate:g} → {clip.rate:g} fps")
    if old.loop != clip.loop:
        said.append("a loop now" if clip.loop else "no loop now")
    said += [f"without {', '.join(found.only[0][:4])}"] if found.only[0] else []
    said += [f"with {', '.join(found.only[1][:4])}"] if found.only[1] else []
    move = max(found.joints, key=lambda d: d.move, default=None)
    turn = max(found.joints, key=lambda d: d.turn, default=None)
    out: dict[str, Any] = {"how": "changed" if said else "same", "said": said}
    if move is not None and turn is not None and (move.move > _SAME_MM or turn.turn > _SAME_DEG):
        out |= {
            "how": "changed", "mm": round(move.move, 2), "joint": move.joint, "frame": move.move_frame,
            "degrees": round(turn.turn, 2), "turned": turn.joint, "turned_frame": turn.turn_frame,
        }  # fmt: skip
    return out


def _figure(drawn: Strokes) -> dict[str, Any]:
    sides = {"left": 0, "right": 1, "centre": 2}
    return {
        "above": drawn.above, "sides": [sides[s] for s in drawn.sides], "widths": drawn.widths, "ends": drawn.ends,
    }  # fmt: skip


def _look(p: palettes.Palette) -> dict[str, Any]:
    return {"shadow": p.line, "sides": [_css(LEFT), _css(RIGHT), p.quiet]}


def _css(colour: Sequence[float]) -> str:
    return f"rgb({', '.join(str(round(255 * c)) for c in colour[:3])})"
