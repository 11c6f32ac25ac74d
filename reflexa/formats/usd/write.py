"""Clips to OpenUSD: into the stage that they came from, or into a clean one (metres, +Y up)."""

from __future__ import annotations

import json
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from reflexa.errors import WriteError
from reflexa.formats import frame as frames
from reflexa.formats.imported import Imported
from reflexa.formats.model import WriteOptions
from reflexa.formats.usd.blend_shapes import write_shapes, write_tracks
from reflexa.formats.usd.read import OURS, UsdLayout, usd
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.names import Names
from reflexa.rig import Mesh, Rig


def write(
    clips: list[Clip],
    rig: Rig,
    source: Imported | None = None,
    text: bool = True,
    options: WriteOptions = WriteOptions(),
) -> bytes:
    """USD bytes of clips: as their source where that was a USD file of this rig, else clean. Raises WriteError."""
    pxr = usd(Path("export"))
    layer = pxr.Sdf.Layer.CreateAnonymous(".usda")
    if source is not None and isinstance(source.layout, UsdLayout):
        layer.ImportFromString(source.layout.text)
        stage = pxr.Usd.Stage.Open(layer)
        _into_source(stage, clips, source, source.layout, options, pxr)
    else:
        stage = pxr.Usd.Stage.Open(layer)
        _clean(stage, clips, rig, options, pxr)
    if text:
        return str(layer.ExportToString()).encode()
    with tempfile.TemporaryDirectory(prefix="reflexa-") as folder:
        path = Path(folder) / "export.usdc"
        if not layer.Export(str(path)):
            raise WriteError("USD could not write its binary form", folder)
        return path.read_bytes()


def _into_source(
    stage: Any, clips: list[Clip], source: Imported, layout: UsdLayout, options: WriteOptions, pxr: Any
) -> None:
    skeleton = stage.GetPrimAtPath(layout.skeleton)
    for path in set(layout.animations.values()) - {layout.animations.get(c.name, "") for c in clips}:
        stage.RemovePrim(path)
    for i, clip in enumerate(clips):
        q, t = frames.to_file(source.frame, clip.skeleton, clip.rotations, clip.translations)
        path = layout.animations.get(clip.name) or f"{layout.skeleton}/{_identifier(clip.name, pxr)}"
        moved = _Motion(clip, q, t, layout.tokens, options, layout.starts.get(clip.name, 0.0))
        if i == 0:
            # As the source counts its time codes, but for a clip that has another rate now.
            codes = stage.GetTimeCodesPerSecond() if clip.rate == layout.rates.get(clip.name) else clip.rate
            _set_times(stage, moved, codes)
        first = _set_motion(stage, path, moved, pxr)
        if i == 0:
            pxr.UsdSkel.BindingAPI.Apply(skeleton).CreateAnimationSourceRel().SetTargets([first.GetPath()])


def _identifier(name: str, pxr: Any) -> str:
    return str(pxr.Tf.MakeValidIdentifier(name))


def tokens_of(rig: Rig, pxr: Any) -> list[str]:
    """Joint paths of a rig, made of valid identifiers, unique."""
    out, given = list[str](), Names("_")
    for name, parent in zip(rig.skeleton.names, rig.skeleton.parents.tolist(), strict=True):
        own = _identifier(name, pxr)
        out.append(given.give(own if parent < 0 else f"{out[parent]}/{own}"))
    return out


def _clean(stage: Any, clips: list[Clip], rig: Rig, options: WriteOptions, pxr: Any) -> None:
    from reflexa import __version__

    vt, skel_schema = pxr.Vt, pxr.UsdSkel
    stage.GetRootLayer().documentation = f"Reflexa {__version__}"
    pxr.UsdGeom.SetStageUpAxis(stage, pxr.UsdGeom.Tokens.y)
    pxr.UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    root = skel_schema.Root.Define(stage, "/Figure")
    stage.SetDefaultPrim(root.GetPrim())
    skel = skel_schema.Skeleton.Define(stage, "/Figure/Skeleton")
    tokens = tokens_of(rig, pxr)
    skel.CreateJointsAttr(vt.TokenArray(tokens))
    s = rig.skeleton
    scales = s.rest_scales if s.rest_scales is not None else np.ones((len(s), 3))
    rest = _composed(s.rest_rotations, s.rest_translations, scales)
    skel.CreateRestTransformsAttr(_matrix_array(rest, vt))
    bind = np.array([np.linalg.inv(m) for m in rig.meshes[0].bind]) if rig.meshes else _chained(rest, s.parents)
    skel.CreateBindTransformsAttr(_matrix_array(bind, vt))
    skel.GetPrim().SetCustomDataByKey(f"{OURS}:joints", vt.StringArray(list(s.names)))
    binding = skel_schema.BindingAPI.Apply(skel.GetPrim())
    for i, clip in enumerate(clips):
        path = f"/Figure/{_identifier(clip.name, pxr)}"
        moved = _Motion(clip, clip.rotations, clip.translations, tuple(tokens), options)
        if i == 0:
            _set_times(stage, moved, clip.rate)
        made = _set_motion(stage, path, moved, pxr)
        if i == 0:
            binding.CreateAnimationSourceRel().SetTargets([made.GetPath()])
    for i, mesh in enumerate(rig.meshes):
        _add_mesh(stage, f"/Figure/Skin{i + 1}", mesh, skel, pxr)


@dataclass(frozen=True, eq=False)
class _Motion:
    """A clip, its local rotations and translations in the file's frame, its joints by their paths, what is noted of it and which
    of its joints are written, and the time code of its first frame."""

    clip: Clip
    rotations: Array
    translations: Array
    tokens: tuple[str, ...]
    options: WriteOptions
    start: float = 0.0

    @property
    def written(self) -> list[int]:
        """The numbers of the joints that are written."""
        wanted = self.options.joints
        return [i for i, n in enumerate(self.clip.skeleton.names) if wanted is None or n in wanted]


def _set_times(stage: Any, motion: _Motion, codes: float) -> None:
    """Let the stage last as long as a clip, at so many time codes a second."""
    clip = motion.clip
    stage.SetTimeCodesPerSecond(codes)
    stage.SetFramesPerSecond(clip.rate)
    stage.SetStartTimeCode(motion.start)
    stage.SetEndTimeCode(motion.start + (clip.frames - 1) * codes / clip.rate)


def _set_motion(stage: Any, path: str, motion: _Motion, pxr: Any) -> Any:
    """Write a clip's samples into a SkelAnimation."""
    vt, clip, written = pxr.Vt, motion.clip, motion.written
    step = float(stage.GetTimeCodesPerSecond()) / clip.rate
    animation = pxr.UsdSkel.Animation.Define(stage, path)
    animation.CreateJointsAttr(vt.TokenArray([motion.tokens[i] for i in motion.written]))
    scales = clip.scales
    if scales is None:
        rest = clip.skeleton.rest_scales
        scales = np.broadcast_to(np.ones(3) if rest is None else rest, motion.translations.shape)
    attributes = (animation.CreateRotationsAttr(), animation.CreateTranslationsAttr(), animation.CreateScalesAttr())
    for attribute in attributes:
        attribute.Clear()
    q = quat.continuous(motion.rotations[:, written]).astype(np.float32)
    t = np.ascontiguousarray(motion.translations[:, written], dtype=np.float32)
    s = np.ascontiguousarray(scales[:, written], dtype=np.float16)
    still = bool((s == s[:1]).all())
    for f in range(clip.frames):
        time = pxr.Usd.TimeCode(motion.start + f * step)
        attributes[0].Set(vt.QuatfArray.FromNumpy(np.ascontiguousarray(q[f])), time)
        attributes[1].Set(vt.Vec3fArray.FromNumpy(t[f]), time)
        if not still:
            attributes[2].Set(vt.Vec3hArray.FromNumpy(s[f]), time)
    if still:
        attributes[2].Set(vt.Vec3hArray.FromNumpy(s[0]))
    if clip.tracks:
        write_tracks(animation, clip, (motion.start, step), pxr)
    ours: dict[str, Any] = {
        "name": clip.name,
        "rate": clip.rate,
        "loop": clip.loop,
        **{k: str(v) for k, v in (motion.options.notes or {}).items() if v},
    }
    if clip.stepped:
        ours["stepped"] = True
    if clip.play_rate != 1:
        ours["play_rate"] = clip.play_rate
    if clip.additive is not None:
        ours["additive"] = clip.additive.plain
    if clip.events:
        ours["event_frames"] = vt.DoubleArray([float(e.frame) for e in clip.events])
        ours["event_names"] = vt.StringArray([e.name for e in clip.events])
        if any(e.value is not None for e in clip.events):
            # An array holds values of one type: numbers and texts as JSON, nothing as an empty text.
            ours["event_values"] = vt.StringArray(["" if e.value is None else json.dumps(e.value) for e in clip.events])
    animation.GetPrim().SetCustomDataByKey(OURS, ours)
    return animation


def _composed(q: Array, t: Array, s: Array) -> Array:
    """Column matrices ``(joints, 4, 4)`` of translation, rotation, scale."""
    out = np.tile(np.eye(4), (len(q), 1, 1))
    out[:, :3, :3] = quat.to_matrix(q) * s[:, None, :]
    out[:, :3, 3] = t
    return out


def _chained(local: Array, parents: NDArray[np.intp]) -> Array:
    out = np.array(local)
    for j, p in enumerate(parents.tolist()):
        if p >= 0:
            out[j] = out[p] @ local[j]
    return out


def _matrix_array(m: Array, vt: Any) -> Any:
    return vt.Matrix4dArray.FromNumpy(np.ascontiguousarray(m.transpose(0, 2, 1)))


def _add_mesh(stage: Any, path: str, mesh: Mesh, skel: Any, pxr: Any) -> None:
    vt = pxr.Vt
    prim = pxr.UsdGeom.Mesh.Define(stage, path)
    prim.CreatePointsAttr(vt.Vec3fArray.FromNumpy(mesh.positions.astype(np.float32)))
    prim.CreateFaceVertexCountsAttr(vt.IntArray.FromNumpy(np.full(len(mesh.triangles), 3, dtype=np.int32)))
    prim.CreateFaceVertexIndicesAttr(
        vt.IntArray.FromNumpy(np.ascontiguousarray(mesh.triangles.reshape(-1), dtype=np.int32))
    )
    prim.CreateNormalsAttr(vt.Vec3fArray.FromNumpy(mesh.normals.astype(np.float32)))
    prim.SetNormalsInterpolation(pxr.UsdGeom.Tokens.vertex)
    prim.CreateSubdivisionSchemeAttr(pxr.UsdGeom.Tokens.none)
    low, high = mesh.positions.min(axis=0), mesh.positions.max(axis=0)
    prim.CreateExtentAttr(vt.Vec3fArray.FromNumpy(np.stack([low, high]).astype(np.float32)))
    colour = prim.CreateDisplayColorPrimvar(pxr.UsdGeom.Tokens.vertex)
    colour.Set(vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.colours, dtype=np.float32)))
    binding = pxr.UsdSkel.BindingAPI.Apply(prim.GetPrim())
    binding.CreateSkeletonRel().SetTargets([skel.GetPath()])
    binding.CreateJointIndicesPrimvar(False, 4).Set(vt.IntArray.FromNumpy(mesh.joints.astype(np.int32).reshape(-1)))
    binding.CreateJointWeightsPrimvar(False, 4).Set(
        vt.FloatArray.FromNumpy(mesh.weights.astype(np.float32).reshape(-1))
    )
    if mesh.shapes:
        write_shapes(prim, mesh.shapes, pxr)
