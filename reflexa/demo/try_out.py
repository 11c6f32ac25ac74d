"""A copy of the demo project to try things on, with a few files beside it that commands are given: clips, a stage, a recipe."""

from __future__ import annotations

import shutil
from importlib.resources import as_file, files
from pathlib import Path

from reflexa.errors import WriteError
from reflexa.formats import encode, read
from reflexa.formats.files import write_bytes, write_failed
from reflexa.formats.text import pretty
from reflexa.stage import Stage
from reflexa.stage.presets import PRESETS
from reflexa.stage.store import document
from reflexa.steps import make
from reflexa.steps.correction import CorrectionSettings, set_key
from reflexa.take.recipe import Parameter, keep, recipe_plain

# The clips that lie beside the project as files of their own, by the clip's name.
CLIPS = {"walk": "walk.bvh", "walk, skating": "skating.bvh", "step up": "step-up.glb"}


def copy_to_try(folder: Path) -> list[Path]:
    """Copy the demo project into a folder that is not there yet, or empty, with files to try commands on; what lies in it.
    Raises WriteError."""
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise WriteError("exists already", folder, advice="Give a folder that is not there yet.")
    try:
        with as_file(files("reflexa.demo").joinpath("project")) as shipped:
            shutil.copytree(shipped, folder, dirs_exist_ok=True)
    except OSError as e:
        raise write_failed(e, folder) from None
    source = read(folder / "sources/deckhand.glb")
    for name, file in CLIPS.items():
        clip = source.clip(name)
        assert clip is not None
        write_bytes(folder / "clips" / file, encode([clip], source.rig, file.rpartition(".")[2]))
    stage = Stage((PRESETS["jetty step"](),))
    write_bytes(folder / "jetty.stage.json", pretty(document(stage)).encode())
    keys = set_key(CorrectionSettings(whole_clip=True), "chest", 0, source.clips[0].frames, rotate=(12.0, 0.0, 0.0))
    lean = make("correction", "lean forward")
    lean = type(lean)(lean.kind, keys, lean.name, id="lean")
    how_much = Parameter("how much", "lean", "weight", "How far the figure leans forward.")
    recipe = keep("lean", [(lean, source.rig)], [how_much])
    write_bytes(folder / "lean.recipe.json", pretty(recipe_plain(recipe)).encode())
    return sorted(p for p in folder.iterdir())
