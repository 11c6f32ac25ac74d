"""Pictures of a reviewed clip or take, drawn without a display."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from io import BytesIO

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from reflexa.draw import Camera, Figure, OwnContext, Scene
from reflexa.draw import figure as drawn
from reflexa.draw import palette as palettes
from reflexa.draw.camera import STANDARD
from reflexa.draw.palette import GRID, Palette
from reflexa.draw.scene import ground_grid, matrices_at, shapes_at
from reflexa.errors import ReadError
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.progress import Progress, quiet
from reflexa.review.subjects import Reviewed
from reflexa.rig import Rig
from reflexa.rig.stand_in import body_of
from reflexa.stage import Stage
from reflexa.stage.solids import mesh_of, place_of
from reflexa.take import View


@dataclass(frozen=True)
class Shot:
    """How pictures are taken: pixels; the view (itself, or a saved one's name, or a standard one's; empty: three-quarter); both:
    before and after side by side; dark: the other palette; numbers: frame numbers and names are written in."""

    width: int = 960
    height: int = 600
    view: str | View = ""
    both: bool = False
    dark: bool = False
    numbers: bool = True

    @property
    def palette(self) -> Palette:
        return palettes.NIGHT if self.dark else palettes.DAYLIGHT


@lru_cache(maxsize=1)
def _context() -> OwnContext:
    """One for all pictures of a process."""
    return OwnContext()


def view_called(subject: Reviewed, name: str | View) -> View:
    """A saved view of a take, or a standard one, that follows the figure. Raises ReadError where there is none."""
    if isinstance(name, View):
        return name
    saved = subject.view(name)
    if saved is not None:
        return saved
    if name and name not in STANDARD:
        known = ", ".join([*(v.name for v in subject.line.take.views), *STANDARD])
        raise ReadError(f"has no view {name!r}", subject.name, advice=f"Available: {known}.")
    clip, rig = subject.after
    low, high = _room(clip, rig)
    yaw, pitch = STANDARD[name or "three-quarter"]
    camera = Camera(yaw=yaw, pitch=pitch).framed(low, high)
    return View(name or "three-quarter", camera.target, yaw, pitch, camera.distance, follow=True)


def _room(clip: Clip, rig: Rig) -> tuple[Array, Array]:
    """Lowest and highest corner of the room that a figure needs at its first frame's place through the whole clip."""
    placed = clip.model[1]
    travel = placed[:, rig.travel_joint] * [1.0, 0.0, 1.0]
    stays = placed - travel[:, None] + travel[0]
    above = [0.0, 0.1 * rig.height if body_of(rig) else 0.02, 0.0]
    return stays.min(axis=(0, 1)), stays.max(axis=(0, 1)) + above


def still(subject: Reviewed, frame: int, shot: Shot = Shot()) -> Image.Image:
    """One frame."""
    view, clip = view_called(subject, shot.view), subject.after[0]
    frame = min(max(frame, 0), clip.frames - 1)
    if not shot.both:
        return _written(_picture(subject, subject.after, frame, view, shot), shot, subject.name, _at(clip, frame))
    half = replace(shot, width=shot.width // 2)
    before = int(subject.frames_before[frame])
    parts = [
        _written(
            _picture(subject, subject.before, before, view, half, True), half, "Before", _at(subject.before[0], before)
        ),
        _written(_picture(subject, subject.after, frame, view, half), half, subject.name, _at(clip, frame)),
    ]
    out = Image.new("RGB", (half.width * 2, shot.height))
    for i, part in enumerate(parts):
        out.paste(part, (i * half.width, 0))
    return out


def _at(clip: Clip, frame: int) -> str:
    return f"frame {frame} · {frame / clip.rate:.2f} s"


def _picture(
    subject: Reviewed, seen: tuple[Clip, Rig], frame: int, view: View, shot: Shot, before: bool = False
) -> Image.Image:
    """A figure at a frame. Drawn twice as large, and made smooth by being made smaller."""
    (clip, rig), p = seen, shot.palette
    camera = _camera(view, clip, rig, frame)
    colours = drawn.colours_by_side(rig, p.rgb("quiet"), p.rgb("warn"))
    lines = () if body_of(rig) else (drawn.bones(rig, clip, frame, colours, 0.95),)
    figure = Figure(
        body_of(rig), matrices_at(clip, frame), p.before, 0.55 if before else 0.0, shapes=shapes_at(clip, frame)
    )
    fine, strong = (np.array(c) for c in GRID[p.name])
    grid = ground_grid(np.array(camera.target), max(6.0, camera.distance * 2.2), fine, strong)
    props = () if before and seen[1] is not subject.after[1] else _props(subject.line.take.stage, clip, frame)
    scene = Scene(
        p.sky, p.floor, p.shadow, replace(grid, widths=2 * grid.widths), (figure, *props),
        tuple(replace(n, widths=2 * n.widths) for n in lines),
    )  # fmt: skip
    size = 2 * shot.width, 2 * shot.height
    with _context().current() as renderer:
        pixels = renderer.render(scene, camera, *size)
    large = Image.frombuffer("RGBA", size, bytes(pixels), "raw", "RGBA", 0, 1)
    return large.convert("RGB").reduce(2)


def _camera(view: View, clip: Clip, rig: Rig, frame: int) -> Camera:
    x, y, z = view.target
    if view.follow:
        gone = clip.model[1][frame, rig.travel_joint] - clip.model[1][0, rig.travel_joint]
        x, z = x + float(gone[0]), z + float(gone[2])
    return Camera((x, y, z), view.yaw, view.pitch, view.distance, view.perspective)


def _props(stage: Stage, clip: Clip, frame: int) -> tuple[Figure, ...]:
    out = []
    for prop in stage.props:
        at = place_of(prop, clip, frame)
        if at is not None:
            matrix = np.concatenate([quat.to_matrix(at[0]), at[1][:, None]], axis=-1)[None]
            out.append(Figure((mesh_of(prop),), matrix))
    return tuple(out)


@lru_cache(maxsize=8)
def _font(weight: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(BytesIO(palettes.font(weight)), size)


def _written(picture: Image.Image, shot: Shot, name: str, at: str) -> Image.Image:
    """With its name above and its frame below."""
    if not shot.numbers:
        return picture
    draw, p = ImageDraw.Draw(picture), shot.palette
    size = max(10, min(16, shot.width // 24))
    edge = size // 2 + 2
    most = max(4, (shot.width - 2 * edge) // max(1, round(size * 0.55)))
    draw.text((edge, edge - 2), name if len(name) <= most else f"{name[: most - 1]}…", p.ink, _font("SemiBold", size))
    draw.text((edge, shot.height - size - edge), at, p.ink, _font("Regular", size))
    return picture


def sheet(subject: Reviewed, count: int, shot: Shot = Shot(320, 300), progress: Progress = quiet) -> Image.Image:
    """A contact sheet: so many frames from the first to the last, evenly; of pictures of that size. progress may raise to stop
    it."""
    last = subject.after[0].frames - 1
    count = max(1, min(count, last + 1))
    frames = np.round(np.linspace(0, last, count)).astype(int).tolist() if count > 1 else [0]
    # As broad as a page, with as little of the last row empty as can be.
    wide = min(range(1, count + 1), key=lambda w: (-count % w) / count + abs(np.log(w * w / (1.4 * count))))
    high = -(-count // wide)
    gap = 4
    out = Image.new("RGB", (wide * (shot.width + gap) - gap, high * (shot.height + gap) - gap), shot.palette.window)
    for i, frame in enumerate(frames):
        progress(f"Frame {frame}", i / len(frames))
        place = (i % wide) * (shot.width + gap), (i // wide) * (shot.height + gap)
        out.paste(still(subject, frame, shot), place)
    return out
