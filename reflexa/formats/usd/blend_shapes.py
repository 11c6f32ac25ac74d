"""Blend shapes of UsdSkel: their weights are tracks of a clip, their offsets a part of the mesh."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, Track


def read_tracks(animation: Any, codes: Iterable[float], pxr: Any) -> tuple[Track, ...]:
    """The weights of blend shapes at time codes, a track each; none where they do not fit their names."""
    names = [str(n) for n in animation.GetBlendShapesAttr().Get() or []]
    rows = [animation.GetBlendShapeWeightsAttr().Get(pxr.Usd.TimeCode(c)) for c in codes] if names else []
    if not rows or any(r is None or len(r) != len(names) for r in rows):
        return ()
    values = np.array([list(r) for r in rows], dtype=np.float64)
    if not np.isfinite(values).all() or len(set(names)) < len(names):
        return ()
    return tuple(Track(n, values[:, i].copy()) for i, n in enumerate(names))


def write_tracks(animation: Any, clip: Clip, codes: tuple[float, float], pxr: Any) -> None:
    """The tracks of a clip as weights of blend shapes, one sample a frame. codes: the first frame's time code, and how many
    lie between two frames."""
    start, step = codes
    shapes, weights = animation.CreateBlendShapesAttr(), animation.CreateBlendShapeWeightsAttr()
    weights.Clear()
    shapes.Set(pxr.Vt.TokenArray([_token(t.name, pxr) for t in clip.tracks]))
    values = np.stack([t.values for t in clip.tracks], axis=1).astype(np.float32)
    for f in range(clip.frames):
        weights.Set(pxr.Vt.FloatArray.FromNumpy(np.ascontiguousarray(values[f])), pxr.Usd.TimeCode(start + f * step))


def _token(name: str, pxr: Any) -> str:
    return str(pxr.Tf.MakeValidIdentifier(name))


def read_shapes(prim: Any, vertices: int, pxr: Any) -> tuple[tuple[str, Array], ...]:
    """What each blend shape of a mesh adds to its points ``(vertices, 3)``; those that make no sense are left out."""
    binding = pxr.UsdSkel.BindingAPI(prim)
    names = [str(n) for n in binding.GetBlendShapesAttr().Get() or []]
    out: list[tuple[str, Array]] = []
    for name, target in zip(names, binding.GetBlendShapeTargetsRel().GetTargets(), strict=False):
        shape = pxr.UsdSkel.BlendShape(prim.GetStage().GetPrimAtPath(target))
        if not shape:
            continue
        offsets = np.array(shape.GetOffsetsAttr().Get() or [], dtype=np.float64).reshape(-1, 3)
        at = np.array(shape.GetPointIndicesAttr().Get() or np.arange(len(offsets)), dtype=np.int64)
        if len(at) == len(offsets) and (len(at) == 0 or 0 <= at.min() <= at.max() < vertices):
            whole = np.zeros((vertices, 3))
            whole[at] = offsets
            out.append((name, whole))
    return tuple(out)


def write_shapes(prim: Any, shapes: tuple[tuple[str, Array], ...], pxr: Any) -> None:
    """Blend shapes below a mesh, bound to it."""
    binding, paths = pxr.UsdSkel.BindingAPI.Apply(prim.GetPrim()), []
    for name, offsets in shapes:
        path = prim.GetPath().AppendChild(_token(name, pxr))
        made = pxr.UsdSkel.BlendShape.Define(prim.GetPrim().GetStage(), path)
        at = np.flatnonzero(np.any(offsets != 0, axis=1))
        made.CreateOffsetsAttr(pxr.Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(offsets[at], dtype=np.float32)))
        made.CreatePointIndicesAttr(pxr.Vt.IntArray.FromNumpy(at.astype(np.int32)))
        paths.append(path)
    binding.CreateBlendShapesAttr(pxr.Vt.TokenArray([_token(n, pxr) for n, _ in shapes]))
    binding.CreateBlendShapeTargetsRel().SetTargets(paths)
