"""Draws scenes with OpenGL 3.3 core into a framebuffer of its own and gives back the pixels."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from reflexa.draw import shaders
from reflexa.draw.camera import Camera
from reflexa.draw.held import HeldMeshes
from reflexa.draw.scene import Figure, Lines, Marks, Scene
from reflexa.motion.arrays import Array

LIGHT = np.array([0.35, 0.86, 0.37]) / np.linalg.norm([0.35, 0.86, 0.37])
# How much less exact than a mesh its shadow may be.
_SHADOW = 2.0
_CORNERS = np.array([[0, -1], [1, -1], [0, 1], [1, 1]], dtype="f4")
# Heights above the horizon between which the sky's colour runs evenly enough.
_ROWS = np.array(
    [[x, y] for y in (-3, *np.linspace(-0.9, -0.012, 9), *np.linspace(-0.006, 0.012, 4), 3) for x in (-1, 1)],
    dtype="f4",
)
_SQUARE = np.array([[-1, -1], [1, -1], [-1, 1], [1, 1]], dtype="f4")


@dataclass(frozen=True)
class _Kind:
    """Something that is drawn many times over: its program, the corners of one, and what is said of each."""

    program: Any
    corners: Any
    layout: str
    names: tuple[str, ...]


@dataclass(frozen=True)
class _Seen:
    """What is drawn, from where, and how exactly."""

    scene: Scene
    camera: Camera
    matrix: Array
    detail: float
    height: int

    def cell(self, figure: Figure) -> float:
        """Metres within which a figure's meshes need not be exact, 0 where they are drawn as they are."""
        if not self.detail:
            return 0.0
        places = figure.matrices[:, :, 3]
        nearest = places[np.argmax(places @ self.camera.axes[2])]
        return max(self.detail * self.camera.pixel_size(nearest, self.height), 1e-6)


class Renderer:
    """Keeps what the GPU holds: programs, one framebuffer of the last size, and the meshes seen lately.

    The context must be current whenever a method is called.
    """

    def __init__(self, ctx: moderngl.Context) -> None:
        self.ctx = ctx
        ctx.front_face = "cw"  # pictures are drawn upside down
        info = ctx.info
        name = f"{info['GL_RENDERER']} {info['GL_VENDOR']}".lower()
        self.software = any(word in name for word in ("llvmpipe", "softpipe", "swrast", "software"))
        program = ctx.program
        self._skin = program(vertex_shader=shaders.SKIN_VERTEX, fragment_shader=shaders.SKIN_FRAGMENT)
        self._shadow = program(vertex_shader=shaders.SKIN_VERTEX, fragment_shader=shaders.SHADOW_FRAGMENT)
        self._line = program(vertex_shader=shaders.LINE_VERTEX, fragment_shader=shaders.LINE_FRAGMENT)
        self._mark = program(vertex_shader=shaders.MARK_VERTEX, fragment_shader=shaders.MARK_FRAGMENT)
        self._sky = program(vertex_shader=shaders.SKY_VERTEX, fragment_shader=shaders.SKY_FRAGMENT)
        self._line_corners = ctx.buffer(_CORNERS.tobytes())
        self._square = ctx.buffer(_SQUARE.tobytes())
        self._sky_rows = ctx.vertex_array(self._sky, [(ctx.buffer(_ROWS.tobytes()), "2f", "corner")])
        self._meshes = HeldMeshes(ctx, self._skin, self._shadow)
        self._size: tuple[int, int] = (0, 0)
        self._target: Any = None
        self._resolved: Any = None

    def release(self) -> None:
        """Give up the framebuffers and meshes."""
        self._release_targets()
        self._meshes.release()

    def _release_targets(self) -> None:
        for fbo in {id(f): f for f in (self._target, self._resolved) if f is not None}.values():
            for attachment in (*fbo.color_attachments, fbo.depth_attachment):
                if attachment is not None:
                    attachment.release()
            fbo.release()
        self._target = self._resolved = None

    def render(self, scene: Scene, camera: Camera, width: int, height: int, detail: float = 0.0) -> bytearray:
        """RGBA pixels, ``width * height * 4`` bytes, top row first. detail: pixels within which meshes need not be exact; 0 draws
        them as they are."""
        width, height = max(1, width), max(1, height)
        self._resize(width, height)
        ctx: Any = self.ctx  # its stubs know two-part blend functions only
        self._target.use()
        ctx.viewport = (0, 0, width, height)
        self._target.clear(*scene.sky, 1.0, depth=1.0)
        matrix = camera.matrix(width / height)
        ctx.blend_func = (
            moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA,
        )  # fmt: skip
        ctx.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE | moderngl.BLEND)
        self._sky["sky"], self._sky["floor_colour"] = scene.sky, scene.floor
        self._sky["horizon"] = float(np.clip(camera.horizon, -1.4, 1.4))
        self._sky_rows.render(moderngl.TRIANGLE_STRIP)
        ctx.enable(moderngl.BLEND)
        if scene.ground is not None and camera.pitch > -2:
            self._draw_lines(scene.ground, matrix, width, height)
        ctx.enable(moderngl.DEPTH_TEST)
        seen = _Seen(scene, camera, matrix, detail, height)
        posed = [(figure, self._posed(figure)) for figure in scene.figures]
        for figure, textures in posed:
            if figure.shadow and camera.pitch > 0:
                self._draw_figure(figure, textures, seen, shadow=True)
        for figure, textures in sorted(posed, key=lambda p: -p[0].alpha):
            self._draw_figure(figure, textures, seen, shadow=False)
        for texture in (t for _, textures in posed for t in textures):
            texture.release()
        for lines in scene.lines:
            (ctx.disable if lines.on_top else ctx.enable)(moderngl.DEPTH_TEST)
            self._draw_lines(lines, matrix, width, height)
        ctx.disable(moderngl.DEPTH_TEST)
        for marks in scene.marks:
            self._draw_marks(marks, matrix, width, height)
        if self._resolved is not self._target:
            ctx.copy_framebuffer(self._resolved, self._target)
        out = bytearray(width * height * 4)
        self._resolved.read_into(out, components=4, alignment=1)
        return out

    def _resize(self, width: int, height: int) -> None:
        if self._size == (width, height) and self._target is not None:
            return
        self._release_targets()
        self._size = (width, height)
        ctx = self.ctx
        samples = 0 if self.software else 4
        self._target = ctx.framebuffer(
            [ctx.renderbuffer(self._size, 4, samples=samples)], ctx.depth_renderbuffer(self._size, samples=samples)
        )
        self._resolved = self._target
        if samples:
            self._resolved = ctx.framebuffer([ctx.renderbuffer(self._size, 4)])

    def _posed(self, figure: Figure) -> list[Any]:
        """For each mesh of a figure the texture that tells its joints' matrices."""
        out = []
        for mesh in figure.meshes:
            bound = np.empty((len(figure.matrices), 3, 4), dtype="f4")
            bound[...] = figure.matrices[:, :, :3] @ mesh.bind[:, :3, :]
            bound[..., 3] += figure.matrices[:, :, 3]
            out.append(self.ctx.texture((len(bound) * 3, 1), 4, bound.tobytes(), dtype="f4"))
        return out

    def _draw_figure(self, figure: Figure, posed: list[Any], seen: _Seen, shadow: bool) -> None:
        program, scene = self._shadow if shadow else self._skin, seen.scene
        _set(program, "camera", seen.matrix)
        _set(program, "shadow", shadow)
        _set(program, "light", tuple(LIGHT))
        if shadow:
            _set(program, "colour", scene.shadow)
        else:
            _set(program, "eye", tuple(seen.camera.eye))
            _set(program, "sky", scene.sky)
            _set(program, "floor_colour", scene.floor)
            _set(program, "tint", (*figure.tint, figure.tint_share))
            _set(program, "alpha", figure.alpha)
        cell = seen.cell(figure) * (_SHADOW if shadow else 1.0)
        for whole, texture in zip(figure.meshes, posed, strict=True):
            mesh, outside = self._meshes.as_fine_as_seen(whole, cell)
            if not len(mesh.triangles):
                continue
            (self.ctx.enable if outside else self.ctx.disable)(moderngl.CULL_FACE)
            texture.use(0)
            self._meshes.drawn(mesh, figure.shapes, shadow).render()
        self.ctx.disable(moderngl.CULL_FACE)

    def _draw_lines(self, lines: Lines, matrix: Array, width: int, height: int) -> None:
        if not len(lines.ends):
            return
        data = np.concatenate([lines.ends.reshape(-1, 6), lines.widths, lines.colours], axis=1).astype("f4")
        kind = _Kind(self._line, self._line_corners, "3f 3f 2f 4f/i", ("start", "end", "widths", "colour"))
        self._instanced(kind, data, matrix, width, height)

    def _draw_marks(self, marks: Marks, matrix: Array, width: int, height: int) -> None:
        if not len(marks.places):
            return
        data = np.concatenate([marks.places, marks.sizes[:, None], marks.kinds[:, None], marks.colours], axis=1).astype(
            "f4"
        )
        _set(self._mark, "rim", marks.rim)
        kind = _Kind(self._mark, self._square, "3f 1f 1f 4f/i", ("place", "across", "kind", "colour"))
        self._instanced(kind, data, matrix, width, height)

    def _instanced(self, kind: _Kind, data: Array, matrix: Array, width: int, height: int) -> None:
        _set(kind.program, "camera", matrix)
        _set(kind.program, "size", (float(width), float(height)))
        buffer = self.ctx.buffer(data.tobytes())
        parts = [(kind.corners, "2f", "corner"), (buffer, kind.layout, *kind.names)]
        vao = self.ctx.vertex_array(kind.program, parts)
        vao.render(moderngl.TRIANGLE_STRIP, instances=len(data))
        vao.release()
        buffer.release()


def _set(program: Any, name: str, value: Any) -> None:
    """Set a uniform, if the program's compiler kept it."""
    if name in program:
        if isinstance(value, np.ndarray):
            program[name].write(np.ascontiguousarray(value.T, dtype="f4").tobytes())
        else:
            program[name] = value
