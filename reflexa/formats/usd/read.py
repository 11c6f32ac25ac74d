"""UsdSkel skeletons, animations and skins. One skeleton a file; every SkelAnimation in it is a clip."""

from __future__ import annotations

import json
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import Any

import numpy as np

from reflexa.errors import MissingPackage, ReadError
from reflexa.formats import frame as frames
from reflexa.formats import imported
from reflexa.formats.files import usable
from reflexa.formats.frame import ImportFrame
from reflexa.formats.imported import FACINGS, MOST_JOINTS, Imported, Note, ReadOptions, Remarks, lost_notes, sign_notes
from reflexa.formats.usd import subprocess_reader
from reflexa.formats.usd.blend_shapes import read_tracks
from reflexa.formats.usd.messages import damaged
from reflexa.formats.usd.skin import read_meshes
from reflexa.motion import quat
from reflexa.motion.additive import additive_from_plain
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, Event, Track, event_from_plain
from reflexa.motion.clips import Clips
from reflexa.motion.matrices import decomposed
from reflexa.motion.skeleton import Skeleton
from reflexa.names import Names
from reflexa.rig.known import known_rig

MOST_FRAMES, _MOST_LAYERS = 200_000, 1000
# More frames than so many a sample, and more poses of joints than so many, are no animation but a damaged time.
_FEW, _MANY = 50, 1_000_000
OURS = "reflexa"


@dataclass(frozen=True, eq=False)
class UsdLayout:
    """Where things are in the file: the stage as text, the skeleton's path, its joint tokens, and each clip's animation, its
    rate, and the time code of its first frame."""

    text: str
    skeleton: str
    tokens: tuple[str, ...]
    animations: dict[str, str]
    rates: dict[str, float]
    starts: dict[str, float]


def usd(path: Path) -> Any:
    """The package, or a ReadError that says what is missing."""
    try:
        import pxr.Sdf
        import pxr.Tf
        import pxr.Usd
        import pxr.UsdGeom
        import pxr.UsdSkel
        import pxr.Vt
    except ImportError:
        raise MissingPackage(
            "needs the package usd-core, which is not installed", path, advice="Install it: pip install usd-core."
        ) from None
    return pxr


def read(path: Path, options: ReadOptions = ReadOptions()) -> Imported:
    """Read a .usda, .usdc or .usd file, in a process of its own. Raises ReadError."""
    made = subprocess_reader.ask("read", path, options)
    assert isinstance(made, Imported)
    return made


def read_here(path: Path, options: ReadOptions = ReadOptions()) -> Imported:
    """The same in this process, which a damaged file may end."""
    pxr = usd(path)
    try:
        with _hooked() as refused:
            found = _read(path, options, pxr)
        if refused:
            raise ReadError(f"is damaged ({refused[0]})", path)
        return found
    except (pxr.Tf.ErrorException, RuntimeError, ValueError, OverflowError, FloatingPointError) as e:
        # Damage inside a binary file shows only when a value is asked for.
        raise damaged(e, path) from None


# The hook is the whole process's: one read at a time may put its own in, or one would leave another's behind.
_hook = threading.Lock()


@contextmanager
def _hooked() -> Iterator[list[str]]:
    """Collects what the package would print as a traceback of its own: values in a file that have no Python form. What
    other threads raise meanwhile goes where it always goes."""
    refused: list[str] = []
    reader = threading.get_ident()
    with _hook:
        before = sys.excepthook

        def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
            if threading.get_ident() == reader:
                refused.append(str(error)[:120])
            else:
                before(kind, error, trace)

        sys.excepthook = hook
        try:
            yield refused
        finally:
            sys.excepthook = before


def _read(path: Path, options: ReadOptions, pxr: Any) -> Imported:
    stage = _open(path, pxr)
    warnings: list[str] = []
    prims = [p for p in stage.Traverse() if p.IsA(pxr.UsdSkel.Skeleton)]
    if not prims:
        raise ReadError("contains no UsdSkel skeleton", path)
    if len(prims) > 1:
        warnings.append(f"The file has {len(prims)} skeletons: {prims[0].GetPath()} is read.")
    skel = pxr.UsdSkel.Skeleton(prims[0])
    where = str(prims[0].GetPath())
    tokens = [str(t) for t in skel.GetJointsAttr().Get() or []]
    if not tokens:
        raise ReadError("has no joints", path, where)
    if len(tokens) > MOST_JOINTS:
        raise ReadError(f"has {len(tokens)} joints; at most {MOST_JOINTS} can be read", path, where)
    raw, order = _skeleton(skel, tokens, path, where, warnings)
    frame = _frame(stage, prims[0], raw, options, warnings, pxr)
    skeleton = frames.convert_skeleton(frame, raw)
    meshes = read_meshes(stage, skel, [tokens[i] for i in order], frame.scale, warnings, pxr)
    rig = known_rig(skeleton, meshes=meshes, facing=FACINGS["+Z"] if options.facing else None)
    skeleton = rig.skeleton
    clips: list[Clip] = []
    notes: list[Note] = []
    animations: dict[str, str] = {}
    rates: dict[str, float] = {}
    starts: dict[str, float] = {}
    given = Names()
    for prim in _animations(stage, prims[0], pxr):
        sampled = _motion(prim, [tokens[i] for i in order], raw, path, warnings, pxr)
        if sampled is None:
            continue
        rotations, translations, scales, (rate, start), ours, tracks, gone = sampled
        q, t = frames.to_internal(frame, skeleton, rotations, translations)
        name = given.give(str(ours.get("name") or prim.GetName()))
        animations[name], rates[name], starts[name] = str(prim.GetPath()), rate, start
        play = ours.get("play_rate", 1.0)
        speed = float(play) if isinstance(play, int | float) and play > 0 else 1.0
        loop, stepped = bool(ours.get("loop", False)), bool(ours.get("stepped", False))
        notes += [*sign_notes(name, skeleton.names, rotations), *lost_notes(name, gone)]
        mark = additive_from_plain(ours.get("additive"))
        clips.append(
            Clip(
                name, skeleton, quat.continuous(q), t, rate, scales, loop, stepped, speed, _events(ours), tracks,
                contacts=None if mark is None else (), additive=mark,
            )
        )  # fmt: skip
    driven = tuple(tokens[i] for i in order)
    layout = UsdLayout(stage.GetRootLayer().ExportToString(), where, driven, animations, rates, starts)
    generator = str(stage.GetRootLayer().documentation or "")
    fmt = "usda" if path.suffix.lower() == ".usda" else "usdc"
    remarks = Remarks(tuple(warnings), tuple(notes))
    return Imported(path, fmt, generator, rig, Clips.of(clips), frame, remarks, layout)


def layers_of(path: Path) -> list[Path]:
    """Every other layer that a file is composed of, at any depth. Raises ReadError for one outside its folder."""
    pxr = usd(path)
    layer = pxr.Sdf.Layer.FindOrOpen(str(path))
    return [] if layer is None else _layers(layer, path, pxr)


def _layers(layer: Any, path: Path, pxr: Any) -> list[Path]:
    inside, found, todo = path.parent.resolve(), [], [(layer, path)]
    while todo:
        at, where = todo.pop()
        for asset in at.GetCompositionAssetDependencies():
            target = (where.parent / asset).resolve()
            if "://" in asset or not target.is_relative_to(inside):
                raise ReadError(f"refers to {asset!r}, which lies outside its folder", path)
            if target in found or target == path.resolve():
                continue
            found.append(target)
            if len(found) > _MOST_LAYERS:
                raise ReadError(f"is composed of more than {_MOST_LAYERS} layers", path)
            below = pxr.Sdf.Layer.FindOrOpen(str(target)) if target.is_file() else None
            if below is not None:
                todo.append((below, target))
    return found


def _open(path: Path, pxr: Any) -> Any:
    """The stage of a file that refers to nothing outside its own folder."""
    usable(path)
    layer = pxr.Sdf.Layer.FindOrOpen(str(path))
    if layer is None:
        raise ReadError("is not a USD layer that can be opened", path)
    layer.Reload()  # layers are kept by name: the file may have been written anew
    _layers(layer, path, pxr)
    return pxr.Usd.Stage.Open(layer)


def _skeleton(skel: Any, tokens: list[str], path: Path, where: str, warnings: list[str]) -> tuple[Skeleton, list[int]]:
    """The raw skeleton in file units, and the order of the file's joints in it (parents first)."""
    if len(set(tokens)) < len(tokens):
        raise ReadError("lists a joint twice", path, f"{where}.joints")
    index = {t: i for i, t in enumerate(tokens)}
    above = {t: index[p] for t in tokens if (p := _parent(t, index))}
    order = _parents_first([above.get(t, -1) for t in tokens])
    place = {old: new for new, old in enumerate(order)}
    parents = np.array([place[above[tokens[i]]] if tokens[i] in above else -1 for i in order])
    rest = _matrices(skel.GetRestTransformsAttr().Get(), len(tokens))
    if rest is None:
        bind = _matrices(skel.GetBindTransformsAttr().Get(), len(tokens))
        if bind is None:
            raise ReadError("has neither rest nor bind transforms for its joints", path, where)
        warnings.append("The skeleton has no rest transforms: its bind pose is used as rest pose.")
        rest = np.array(
            [np.linalg.inv(bind[above[t]]) @ bind[i] if t in above else bind[i] for i, t in enumerate(tokens)]
        )
    q, t, s, _ = decomposed(rest[order])
    ours = skel.GetPrim().GetCustomDataByKey(f"{OURS}:joints")
    given = (
        [str(n) for n in ours]
        if ours is not None and len(ours) == len(tokens)
        else [t.rsplit("/", 1)[-1] for t in tokens]
    )
    names = [given[i] for i in order]
    if len(set(names)) < len(names):
        warnings.append("Joints have the same names: full paths are used.")
        names = [tokens[i] for i in order]
    return Skeleton(tuple(names), parents, q, t, s if np.abs(s - 1).max() > 1e-6 else None), order


def _parent(token: str, index: dict[str, int]) -> str:
    """The nearest joint above in the token's path, or nothing."""
    while "/" in token:
        token = token.rsplit("/", 1)[0]
        if token in index:
            return token
    return ""


def _parents_first(above: list[int]) -> list[int]:
    """The file's own order, but for parents that stand behind their children."""
    out: list[int] = []
    done: set[int] = set()
    for i in range(len(above)):
        line = [i]
        while above[line[-1]] >= 0 and above[line[-1]] not in done:
            line.append(above[line[-1]])
        for j in reversed(line):
            if j not in done:
                out.append(j)
                done.add(j)
    return out


def _matrices(value: Any, count: int) -> Array | None:
    """USD's row-vector matrices as column matrices ``(joints, 4, 4)``; None where there is not one for each joint."""
    if value is None or len(value) != count:
        return None
    out = np.array(value, dtype=np.float64).reshape(count, 4, 4).transpose(0, 2, 1)
    # Beyond this no length means anything, and sums of squares would overflow.
    return out if np.isfinite(out).all() and np.abs(out).max() < 1e12 else None


def _frame(
    stage: Any, prim: Any, raw: Skeleton, options: ReadOptions, warnings: list[str], pxr: Any
) -> frames.ImportFrame:
    path = Path(stage.GetRootLayer().realPath)
    world = pxr.UsdGeom.XformCache().GetLocalToWorldTransform(prim)
    q, t, s, _ = decomposed(np.array(world, dtype=np.float64).T)
    if np.ptp(s) > 1e-6 * abs(float(s.mean())):
        warnings.append("The transforms above the skeleton scale unevenly: their mean scale is used.")
    if s.min() <= 0:
        raise ReadError("the transforms above the skeleton scale by zero or mirror", path, str(prim.GetPath()))
    told = options.unit
    unit = told if told is not None else float(pxr.UsdGeom.GetStageMetersPerUnit(stage))
    if not (np.isfinite(unit) and unit > 0):
        raise ReadError(f"declares {unit} metres per unit", path, "metersPerUnit")
    up = str(pxr.UsdGeom.GetStageUpAxis(stage))
    lay = quat.about(0, -np.pi / 2) if up == "Z" else np.array(quat.IDENTITY)
    scale = float(s.mean()) * unit
    count = len(raw.roots)
    plain = np.abs(t).max() < 1e-12 and quat.angle(q) < 1e-9 and abs(float(s.mean()) - 1) < 1e-9
    baked = () if plain else (str(prim.GetParent().GetPath()),)
    name = next((n for n, v in imported.UNITS.items() if abs(v - unit) < 1e-9 * v), f"{unit:g} m")
    inner = ImportFrame(
        np.full(len(raw), scale), np.tile(quat.multiply(lay, q), (count, 1)), np.tile(quat.rotate(lay, t * unit), (count, 1)),
        "as told" if told is not None else name, unit, f"+{up}", baked=baked,
    )  # fmt: skip
    return imported.settle_frame(raw, inner, options, warnings, lay)


def _animations(stage: Any, skeleton: Any, pxr: Any) -> list[Any]:
    """The animation that the skeleton is bound to, then every other one."""
    bound = pxr.UsdSkel.BindingAPI(skeleton).GetInheritedAnimationSource()
    found = [p for p in stage.Traverse() if p.IsA(pxr.UsdSkel.Animation)]
    return sorted(found, key=lambda p: (bool(bound) and p.GetPath() != bound.GetPath(), str(p.GetPath())))


def _motion(
    prim: Any, tokens: list[str], raw: Skeleton, path: Path, warnings: list[str], pxr: Any
) -> tuple[Array, Array, Array | None, tuple[float, float], dict[str, Any], tuple[Track, ...], list[str]] | None:
    """Rotations, translations, scales per frame, rate and time code of the first frame, our own notes, tracks, and joints that
    the skeleton lacks; None where nothing in it moves a joint."""
    animation = pxr.UsdSkel.Animation(prim)
    driven = [str(t) for t in animation.GetJointsAttr().Get() or []]
    index = {t: i for i, t in enumerate(tokens)}
    to = [index[t] for t in driven if t in index]
    take = [i for i, t in enumerate(driven) if t in index]
    if not to:
        warnings.append(f"{prim.GetPath()} moves no joint of the skeleton.")
        return None
    attributes = (animation.GetRotationsAttr(), animation.GetTranslationsAttr(), animation.GetScalesAttr())
    weights = animation.GetBlendShapeWeightsAttr()
    times = sorted({float(t) for a in (*attributes, weights) for t in a.GetTimeSamples()})
    ours = dict(prim.GetCustomDataByKey(OURS) or {})
    codes = float(prim.GetStage().GetTimeCodesPerSecond()) or 24.0
    start, rate, count = times[0] if times else 0.0, codes, 1
    if len(times) > 1:
        told = ours.get("rate")
        step = min(b - a for a, b in zip(times, times[1:], strict=False))
        rate = float(told) if isinstance(told, int | float) and told > 0 else imported.settle_rate(codes / step)
        count = round((times[-1] - start) / codes * rate) + 1
        if not 1 <= count <= MOST_FRAMES:
            raise ReadError(f"would have {count} frames", path, str(prim.GetPath()))
        if count > _FEW * len(times) and count * len(raw) > _MANY:
            said = f"would have {count} frames for {len(times)} samples"
            raise ReadError(said, path, str(prim.GetPath()), "Is the time of one of them wrong?")
    n = len(raw)
    q, t = np.tile(raw.rest_rotations, (count, 1, 1)), np.tile(raw.rest_translations, (count, 1, 1))
    s = np.tile(raw.rest_scales if raw.rest_scales is not None else np.ones((n, 3)), (count, 1, 1))
    for attribute, out, width in zip(attributes, (q, t, s), (4, 3, 3), strict=True):
        for f in range(count):
            value = attribute.Get(pxr.Usd.TimeCode(start + f * codes / rate))
            if value is None or len(value) == 0:
                break
            if len(value) != len(driven):
                raise ReadError(f"has {len(value)} values for {len(driven)} joints", path, str(attribute.GetPath()))
            out[f][to] = _plain(value, width)[take]
    if not all(np.isfinite(a).all() for a in (q, t, s)):
        raise ReadError("contains values that are not numbers", path, str(prim.GetPath()))
    moved = s if np.abs(s - 1).max() > 1e-4 else None
    tracks = read_tracks(animation, (start + f * codes / rate for f in range(count)), pxr)
    return quat.normalise(q), t, moved, (rate, start), ours, tracks, [t for t in driven if t not in index]


def _plain(value: Any, width: int) -> Array:
    # A quaternion array converts to (x, y, z, w) as it lies in memory.
    return np.array(value, dtype=np.float64).reshape(-1, width)


def _events(ours: dict[str, Any]) -> tuple[Event, ...]:
    at, names = ours.get("event_frames"), ours.get("event_names")
    if at is None or names is None or len(at) != len(names):
        return ()
    values = [_value(v) for v in ours.get("event_values") or ()]
    values += [None] * (len(names) - len(values))
    found = [event_from_plain({"frame": f, "name": n, "value": v}) for f, n, v in zip(at, names, values, strict=False)]
    return tuple(e for e in found if e is not None)


def _value(text: Any) -> Any:
    try:
        return json.loads(str(text))
    except ValueError:
        return None
