"""What is damaged, and what reads it: motion files of every format, and our own documents."""

from __future__ import annotations

import random
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from msgspec.structs import replace as with_fields

from fuzz import mutate, own
from fuzz.mutate import Mutation
from reflexa import describe
from reflexa.checks import Subject, look
from reflexa.checks.judging.thresholds import read_thresholds, text
from reflexa.formats import encode, read
from reflexa.formats.rigfile import RigDocument, read_rig
from reflexa.formats.text import pretty
from reflexa.project import store
from reflexa.rig.notes import notes_of
from reflexa.stage import Stage
from reflexa.stage.presets import winch_crank
from reflexa.stage.store import document, read_stage
from reflexa.steps import Mask, make
from reflexa.take.recipe import Parameter, keep, read_recipe, recipe_plain

ROOT = Path(__file__).parents[1]
DATA, DEMO = ROOT / "tests/data", ROOT / "reflexa/demo/project"


@dataclass(frozen=True)
class Target:
    """seeds: whole files by their names; mutations: ways to damage them; read: what meets the damaged one."""

    seeds: Callable[[], Mapping[str, bytes]]
    mutations: tuple[Mutation, ...]
    read: Callable[[Path], object]


# What is read is used as well, which takes longer than reading it: one time in so many.
_USED = 8


def _uses(path: Path) -> bool:
    return zlib.crc32(path.read_bytes()) % _USED == 0


def _motion(path: Path) -> object:
    """Read a clip, and use it: what is read must be numbers all through."""
    found = read(path)
    for clip in found.or_rest[:3]:
        turned, placed = clip.model
        if not (np.isfinite(turned).all() and np.isfinite(placed).all()):
            raise AssertionError("what was read holds what is no number")
        if clip.frames <= 400 and _uses(path):
            look(Subject(clip, found.rig, notes=found.notes_on(clip.name)))
    describe.lines(found)
    return found


def _pair(path: Path) -> object:
    """Motion beside its skeleton, one of which is the damaged one."""
    for name, whole in (("a.asf", _ASF), ("a.amc", _AMC)):
        if name != path.name:
            (path.parent / name).write_text(whole)
    return _motion(path.with_suffix(".amc"))


def _files(*paths: Path) -> Callable[[], Mapping[str, bytes]]:
    return lambda: {p.name: p.read_bytes() for p in paths}


def _capture() -> Mapping[str, bytes]:
    """A capture, and the first frames of another."""
    head, _, tail = (DATA / "boxing_cut.bvh").read_text().partition("Frames:")
    _, rate, *rows = tail.splitlines()
    short = f"{head}Frames: 12\n{rate}\n" + "\n".join(rows[:12]) + "\n"
    return {"a.bvh": (DATA / "humanoid3d_run.bvh").read_bytes(), "b.bvh": short.encode()}


def _short(suffix: str) -> Callable[[], Mapping[str, bytes]]:
    """A bird of the demo without its skin, and a small skin of its own."""

    def seeds() -> Mapping[str, bytes]:
        bird, skin = read(DEMO / "sources/heron.glb"), read(DATA / "RiggedSimple.glb")
        return {
            f"a.{suffix}": encode([bird.clips[0].cut(0, 4)], replace(bird.rig, meshes=()), suffix),
            f"b.{suffix}": encode([skin.clips[0].cut(0, 4)], skin.rig, suffix),
        }

    return seeds


def _project(path: Path) -> object:
    """A project in which one text is the damaged one."""
    folder = path.parent / "project"
    for at in (store.PROJECT, "takes/a.take.json"):
        (folder / at).parent.mkdir(parents=True, exist_ok=True)
        (folder / at).write_text(_WHOLE[at])
    at = store.PROJECT if path.name.startswith("project") else "takes/a.take.json"
    (folder / at).write_bytes(path.read_bytes())
    found = store.load(folder)
    if _uses(path):
        store.save(found, folder)
    return found


_ASF = """:version 1.10
:name figure
:units
  mass 1.0
  length 1.0
  angle deg
:root
   order TX TY TZ RX RY RZ
   axis XYZ
   position 0 0 0
   orientation 0 0 0
:bonedata
  begin
     id 1
     name upper
     direction 1 0 0
     length 10
     axis 0 0 0  XYZ
     dof rx ry rz
     limits (-180.0 180.0)
            (-90.0 90.0)
            (-90.0 90.0)
  end
  begin
     id 2
     name lower
     direction 1 0 0
     length 8
     axis 0 0 90  XYZ
     dof rx
     limits (-10.0 170.0)
  end
:hierarchy
  begin
    root upper
    upper lower
  end
"""
_AMC = ":FULLY-SPECIFIED\n:DEGREES\n" + "".join(
    f"{i}\nroot {i} 17 0 0 {3 * i} 0\nupper {i} {2 * i} 4\nlower {5 * i}\n" for i in range(1, 13)
)
_TAKE = (DEMO / "takes/Step up onto the jetty.take.json").read_text()
_WHOLE = {
    store.PROJECT: pretty({
        "reflexa": "project", "version": 1, "name": "p", "sources": [{"file": "deckhand.glb"}], "takes": ["a.take.json"],
    }),
    "takes/a.take.json": _TAKE,
}  # fmt: skip


def _rig() -> Mapping[str, bytes]:
    d = read(DEMO / "sources/heron.glb")
    return {"a.rig.json": pretty(RigDocument("heron", d.rig.key, notes_of(d.rig, with_joints=True)).plain()).encode()}


def _recipe() -> Mapping[str, bytes]:
    steps = [make(k) for k in ("mirror", "foot-lock", "root-motion", "reach", "retime")]
    parameters = (
        Parameter("speed", steps[-1].id, "speed"),
        Parameter("how much", steps[0].id, "weight", "of it", True),
    )
    rig = read(DEMO / "sources/heron.glb").rig
    masked = with_fields(steps[0], mask=Mask(joints={rig.skeleton.names[3]: 1.0}))
    kept = keep("r", [(s, rig) for s in (masked, *steps[1:])], parameters)
    return {"a.recipe.json": pretty(recipe_plain(kept)).encode()}


TARGETS: dict[str, Target] = {
    "bvh": Target(_capture, mutate.TEXT, _motion),
    "amc": Target(lambda: {"a.asf": _ASF.encode(), "a.amc": _AMC.encode()}, mutate.TEXT, _pair),
    "glb": Target(
        lambda: {**_files(DATA / "RiggedSimple.glb", DATA / "interp_mix.glb")(), **_short("glb")()}, mutate.GLB, _motion
    ),
    "gltf": Target(_files(DATA / "simple_skin.gltf"), mutate.JSON, _motion),
    "usda": Target(_short("usda"), mutate.TEXT, _motion),
    "usdc": Target(_short("usdc"), mutate.BINARY, _motion),
    "project": Target(lambda: {"project.json": _WHOLE[store.PROJECT].encode()}, mutate.JSON, _project),
    "take": Target(lambda: {"take.json": _TAKE.encode()}, mutate.JSON, _project),
    "rig": Target(_rig, mutate.JSON, read_rig),
    "stage": Target(
        lambda: {"a.stage.json": pretty(document(Stage((winch_crank(),)))).encode()}, mutate.JSON, read_stage
    ),
    "recipe": Target(_recipe, mutate.JSON, read_recipe),
    "index": Target(own.index_seeds, (own.odd_cell,), own.use_index),
    "notes": Target(own.notes_seeds, mutate.JSON, own.use_notes),
    "shelves": Target(own.folder_list_seeds, mutate.JSON, own.use_folder_list),
    "recovery": Target(own.recovery_seeds, mutate.JSON, own.use_recovery),
    "limits": Target(own.limits_seeds, mutate.JSON, own.use_limits),
    "command": Target(own.command_seeds, (own.odd_words,), own.use_command),
    "thresholds": Target(lambda: {"thresholds.json": text({}).encode()}, mutate.JSON, read_thresholds),
}


def damaged(target: Target, seeds: Mapping[str, bytes], seed: int) -> tuple[str, bytes]:
    """The name and the bytes of one damaged file; the same for a seed always."""
    r = random.Random(seed)
    name = r.choice(sorted(seeds))
    data = seeds[name]
    for _ in range(r.choice((1, 1, 1, 2, 3))):
        data = r.choice(target.mutations)(data, r) or b"\0"
    return name, data
