"""The meshes that the GPU holds: those seen lately, and no more of them than a bound says."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from concurrent.futures import Future
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from reflexa.draw.coarse import coarser
from reflexa.motion import threads
from reflexa.rig import Mesh

# Cubes in which a mesh keeps one vertex, metres: none smaller than this.
_FINEST = 0.004
# So many meshes are held, more than several scenes show.
_MOST = 400


@dataclass
class _Held:
    """lit, flat: drawn whole, and as a shadow. buffers: what they are drawn from, the vertices first. weights: of its shapes,
    as the vertices stand now."""

    mesh: Mesh
    lit: Any
    flat: Any
    buffers: tuple[Any, ...]
    weights: tuple[float, ...]

    def release(self) -> None:
        for thing in (self.lit, self.flat, *self.buffers):
            thing.release()


class HeldMeshes:
    """Meshes by themselves, not by what is in them. The context must be current whenever a method is called."""

    def __init__(self, ctx: moderngl.Context, skin: Any, shadow: Any, most: int = _MOST) -> None:
        self._ctx, self._skin, self._shadow, self._most = ctx, skin, shadow, most
        self._held: OrderedDict[int, _Held] = OrderedDict()
        # Of meshes and how fine they are: the mesh itself, and what is left of it, made beside the drawing, with whether one need
        # not see what looks away.
        self._coarse: OrderedDict[tuple[int, int], tuple[Mesh, Future[tuple[Mesh, bool]]]] = OrderedDict()

    def __len__(self) -> int:
        return len(self._held)

    def release(self) -> None:
        """Give up all of them."""
        for held in self._held.values():
            held.release()
        self._held.clear()
        self._coarse.clear()

    def drawn(self, mesh: Mesh, shapes: Mapping[str, float], shadow: bool) -> Any:
        """What draws a mesh, bent by its shapes."""
        held = self._held.get(id(mesh))
        if held is None or held.mesh is not mesh:
            held = self._held[id(mesh)] = self._uploaded(mesh)
            while len(self._held) > self._most:
                self._held.popitem(last=False)[1].release()
        self._held.move_to_end(id(mesh))
        _bend(held, shapes)
        return held.flat if shadow else held.lit

    def as_fine_as_seen(self, mesh: Mesh, cell: float) -> tuple[Mesh, bool]:
        """The mesh with one vertex in ``cell`` metres (0: as it is), and whether what looks away may be left out."""
        if not cell or not len(mesh.triangles):
            return mesh, False
        level = int(np.floor(2 * np.log2(cell / _FINEST)))
        key = id(mesh), level
        if key not in self._coarse or self._coarse[key][0] is not mesh:
            self._coarse[key] = mesh, threads.pool("meshes", 1).submit(_made_coarse, mesh, level)
            while len(self._coarse) > self._most:
                self._coarse.popitem(last=False)
        self._coarse.move_to_end(key)
        made = self._coarse[key][1]
        return made.result() if made.done() else (mesh, False)

    def _uploaded(self, mesh: Mesh) -> _Held:
        ctx = self._ctx
        parts = [
            (ctx.buffer(np.ascontiguousarray(a, dtype=t).tobytes()), f, name)
            for a, t, f, name in (
                (mesh.positions, "f4", "3f", "position"),
                (mesh.normals, "f4", "3f", "normal"),
                (mesh.joints, "u2", "4u2", "joint"),
                (mesh.weights, "f4", "4f", "weight"),
                (mesh.colours, "f4", "3f", "colour"),
            )
        ]
        index = ctx.buffer(np.ascontiguousarray(mesh.triangles, dtype="u4").tobytes())
        lit = ctx.vertex_array(self._skin, parts, index)
        flat = ctx.vertex_array(self._shadow, parts, index, skip_errors=True)
        return _Held(mesh, lit, flat, (*(p[0] for p in parts), index), (0.0,) * len(mesh.shapes))


def _bend(held: _Held, shapes: Mapping[str, float]) -> None:
    """Put the vertices of a mesh where its shapes want them, unless they are there."""
    mesh = held.mesh
    wanted = tuple(shapes.get(name, 0.0) for name, _ in mesh.shapes)
    if wanted != held.weights:
        positions = mesh.positions + sum(w * a for w, (_, a) in zip(wanted, mesh.shapes, strict=True))
        held.buffers[0].write(np.ascontiguousarray(positions, dtype="f4").tobytes())
        held.weights = wanted


def _made_coarse(mesh: Mesh, level: int) -> tuple[Mesh, bool]:
    return mesh if level < 0 else coarser(mesh, _FINEST * 2 ** (level / 2)), mesh.closed
