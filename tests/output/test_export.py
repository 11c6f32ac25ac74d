"""Export and its proof, projects on disk, the command line."""

from __future__ import annotations

import hashlib
import json
import os
import stat
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner

from reflexa.cli import main
from reflexa.errors import ReadError, WriteError
from reflexa.formats import WriteOptions, read
from reflexa.formats.files import write_bytes
from reflexa.formats.text import pretty
from reflexa.output.manifest import Origin, Target
from reflexa.output.write import write
from reflexa.project import store
from reflexa.project.sources import add_source
from reflexa.project.store import Project, SourceFile
from reflexa.steps import KINDS, apply, make
from reflexa.take import Source, Take
from reflexa.take.recipe import Recipe, recipe_plain
from tests.helpers.files import DATA, DECKHAND

WALK = DATA / "humanoid3d_walk.bvh"
AS_ROOT = os.geteuid() == 0


def test_what_a_reader_decides_of_position_channels_is_told(tmp_path: Path) -> None:
    text = WALK.read_text()
    at = text.index("OFFSET")
    (tmp_path / "w.bvh").write_text(text[:at] + "OFFSET 0.000000 80.000000 0.000000" + text[text.index("\n", at) :])
    document = read(tmp_path / "w.bvh")
    proof = write(list(document.clips), document.rig, Target(tmp_path / "out.bvh", "bvh"), Origin(document))
    notes = json.loads(proof.manifest.read_text())["read_back_notes"]
    assert any(n.startswith("Position channels") for n in notes) and notes == list(proof.warnings)


@pytest.mark.parametrize("fmt", ["bvh", "glb", "gltf"])
def test_an_export_proves_itself(tmp_path: Path, fmt: str) -> None:
    document = read(WALK)
    step = make("mirror")
    clip = apply(step, document.clips[0], document.rig)
    before = WALK.read_bytes()
    seen: list[float] = []
    target = tmp_path / f"walk.{fmt}"
    proof = write([clip], document.rig, Target(target, fmt), Origin(document, (step,)), lambda _t, p: seen.append(p))
    assert proof.error_mm < 0.01 and proof.frames == 39 and seen == sorted(seen) and seen[-1] == 1
    assert WALK.read_bytes() == before
    manifest = json.loads(proof.manifest.read_text())
    assert manifest["frames"] == 39 and manifest["recipe"]["steps"][0]["kind"] == "mirror"
    assert manifest["source"]["sha256"] == hashlib.sha256(before).hexdigest()
    back = read(target)
    order = [back.rig.skeleton.index[n] for n in clip.skeleton.names]
    assert np.abs(back.clips[0].model[1][:, order] - clip.model[1]).max() < 1e-5
    with pytest.raises(WriteError, match="exists already"):
        write([clip], document.rig, Target(target, fmt), Origin(document))
    write([clip], document.rig, Target(target, fmt, overwrite=True), Origin(document))


def test_the_source_is_never_written_over(tmp_path: Path) -> None:
    path = tmp_path / "a.bvh"
    path.write_bytes(WALK.read_bytes())
    document = read(path)
    with pytest.raises(WriteError, match="never overwritten"):
        write(list(document.clips), document.rig, Target(path, "bvh", overwrite=True), Origin(document))
    assert path.read_bytes() == WALK.read_bytes()


def test_what_does_not_read_back_is_not_written(tmp_path: Path, monkeypatch) -> None:
    document = read(WALK)
    import reflexa.output.write as module

    honest = module.encode

    def broken(clips, *rest):
        return honest([clips[0].with_motion(np.roll(clips[0].rotations, 1, axis=0), clips[0].translations)], *rest)

    monkeypatch.setattr(module, "encode", broken)
    with pytest.raises(WriteError, match="mm off"):
        write(list(document.clips), document.rig, Target(tmp_path / "a.glb", "glb"), Origin(document))
    assert not list(tmp_path.iterdir())


def test_a_folder_that_cannot_be_written_leaves_the_old_file_whole(tmp_path: Path, monkeypatch) -> None:
    path = tmp_path / "a.txt"
    write_bytes(path, b"old")
    if AS_ROOT:  # root may write anywhere: a full disk stands in for a locked folder

        def full(*_: object) -> None:
            raise OSError(28, "No space left on device")

        monkeypatch.setattr(os, "fsync", full)
    else:
        tmp_path.chmod(stat.S_IRUSR | stat.S_IXUSR)
    with pytest.raises(WriteError, match="unchanged"):
        write_bytes(path, b"new", overwrite=True)
    monkeypatch.undo()
    tmp_path.chmod(0o755)
    assert path.read_bytes() == b"old" and [p.name for p in tmp_path.iterdir()] == ["a.txt"]
    with pytest.raises(WriteError, match="could not be written"):
        write_bytes(path / "below" / "a", b"x")


# Projects ---------------------------------------------------------------------------------------------------


STEPS = (make("mirror"), make("correction", "späte Hand"))


def project() -> Project:
    return Project(
        "Fähre",
        (SourceFile("walk.bvh", 0.01, "add"),),
        (Take("a, b", Source("walk.bvh", "walk"), STEPS), Take("c", Source("walk.bvh", "walk"))),
    )


def test_a_project_saves_reads_and_saves_to_the_same_bytes(tmp_path: Path) -> None:
    store.save(project(), tmp_path)
    assert store.load(tmp_path) == project()
    before = {p: p.stat().st_mtime_ns for p in tmp_path.rglob("*.json")}
    store.save(store.load(tmp_path), tmp_path)
    assert {p: p.stat().st_mtime_ns for p in tmp_path.rglob("*.json")} == before, "nothing that is equal is written"
    store.save(replace(project(), takes=project().takes[1:]), tmp_path)
    assert [p.name for p in (tmp_path / "takes").iterdir()] == ["c.take.json"]


def test_unknown_fields_survive_and_newer_files_are_left_alone(tmp_path: Path) -> None:
    store.save(project(), tmp_path)
    path = tmp_path / "takes" / "c.take.json"
    data = json.loads(path.read_text())
    path.write_text(pretty({**data, "mood": {"weather": "fog"}}))
    store.save(store.load(tmp_path), tmp_path)
    assert json.loads(path.read_text())["mood"] == {"weather": "fog"}
    for text, said in ((pretty({**data, "version": 99}), "newer Reflexa"), ("{", "c.take.json"), ("[]", "c.take.json")):
        path.write_text(text)
        (lost,) = store.load(tmp_path).lost
        assert said in lost.reason and [t.name for t in store.load(tmp_path).takes] == ["a, b"], "it costs itself alone"
        store.save(store.load(tmp_path), tmp_path)
        assert path.read_text() == text and len(store.load(tmp_path).lost) == 1, "and stays as it is"


def test_paths_cannot_lead_out_of_the_project(tmp_path: Path) -> None:
    store.save(Project("p"), tmp_path)
    for extra in ({"sources": [{"file": "../../etc/passwd"}]}, {"takes": ["../../x"]}):
        (tmp_path / "project.json").write_text(pretty({"reflexa": "project", "version": 1, "name": "p", **extra}))
        with pytest.raises(ReadError, match="outside the project"):
            store.load(tmp_path)


def test_sources_are_copied_with_their_buffers_and_not_twice(tmp_path: Path) -> None:
    name, new = add_source(tmp_path, DATA / "RiggedSimple.gltf")
    assert len(new) == 2
    assert (tmp_path / "sources" / "RiggedSimple0.bin").exists() and read(tmp_path / "sources" / name).clips
    assert add_source(tmp_path, DATA / "RiggedSimple.gltf") == (name, [])
    other = tmp_path / "RiggedSimple.gltf"
    other.write_text((DATA / "RiggedSimple.gltf").read_text() + " ")
    assert add_source(tmp_path, other)[0] == "RiggedSimple 2.gltf", "it has no file beside it"
    (tmp_path / "in").mkdir()
    for file in ("RiggedSimple.gltf", "RiggedSimple0.bin"):
        (tmp_path / "in" / file).write_bytes((DATA / file).read_bytes()[:-1] + b" ")
    name, new = add_source(tmp_path, tmp_path / "in" / "RiggedSimple.gltf")
    assert name == "RiggedSimple 2/RiggedSimple.gltf" and len(new) == 2, "nobody gets another's buffer"


def test_saved_text_puts_one_key_on_a_line() -> None:
    text = pretty({"a": [{"frame": 1, "v": [0.1 + 0.2, 0.0]}, {"frame": 2, "v": [1.0, 2.0]}], "b": []})
    assert '    {"frame": 1, "v": [0.3, 0]},\n' in text and json.loads(text)["b"] == []


# The command line -------------------------------------------------------------------------------------------


def run(*args: object) -> tuple[int, str, str]:
    result = CliRunner().invoke(main, [str(a) for a in args])
    assert result.exception is None or isinstance(result.exception, SystemExit), result.exception
    return result.exit_code, result.stdout, result.stderr


def test_info_tells_what_the_contract_lists() -> None:
    status, out, _ = run("info", WALK, "--json")
    (file,) = json.loads(out)["files"]
    assert status == 0 and file["format"] == "bvh" and file["import"]["facing"] == "+X"
    assert file["skeleton"]["joints"][1] == {
        "name": "chest", "parent": "root", "rest_translation": [0, 0.236151, 0], "rest_rotation": [0, 0, 0, 1],
    }  # fmt: skip
    assert set(file["rig"]) >= {"body_map", "pairs", "centre", "unpaired", "helpers"} and len(file["rig"]["pairs"]) == 5
    (clip,) = file["clips"]
    assert clip["travel"]["speed_m_s"] == pytest.approx(0.978, abs=2e-3), "the shared walk goes at 0.978 m/s"
    status, out, err = run("info", DATA / "SOURCES.md", WALK)
    assert status == 3 and "SOURCES.md" in err and "13 joints" in out


def test_steps_are_described() -> None:
    status, out, _ = run("steps", "--json")
    assert status == 0 and [s["kind"] for s in json.loads(out)["steps"]] == list(KINDS)
    assert run("steps", "fly")[0] == 2
    falloff = next(
        s for s in json.loads(run("steps", "correction", "--json")[1])["steps"][0]["settings"] if s["name"] == "falloff"
    )
    assert (falloff["unit"], falloff["least"], falloff["most"], falloff["default"]) == ("frames", 1, 1000, 12)


def test_apply_runs_steps_in_the_order_given(tmp_path: Path) -> None:
    recipe = tmp_path / "r.recipe.json"
    recipe.write_text(json.dumps(recipe_plain(Recipe("port side", (make("mirror", "from the recipe"),)))))
    status, out, _ = run(
        "apply", WALK, DATA / "interp_mix.glb", "--step", "mirror:plane=world", "--recipe", recipe, "--out", tmp_path / "out",
        "--json", "--name", "{file}-{recipe}", "--jobs", 2,
    )  # fmt: skip
    written = json.loads(out)["written"]
    assert status == 0 and [Path(w["file"]).name for w in written] == [
        "humanoid3d_walk-port side.bvh",
        "interp_mix-port side.glb",
    ]
    steps = json.loads(Path(written[0]["manifest"]).read_text())["recipe"]["steps"]
    assert [s["name"] for s in steps] == ["Mirror", "from the recipe"]
    again = run("apply", WALK, "--recipe", recipe, "--out", tmp_path / "out", "--name", "{file}-{recipe}")
    assert again[0] == 4 and "exists already" in again[2]
    assert (
        run("apply", WALK, "--recipe", recipe, "--out", tmp_path / "out", "--name", "{file}-{recipe}", "--force")[0]
        == 0
    )


def test_jobs_give_the_same_bytes_as_one_by_one(tmp_path: Path) -> None:
    files = [WALK, DATA / "humanoid3d_run.bvh", DATA / "interp_mix.glb"]
    for jobs in (1, 3):
        assert (
            run("apply", *files, "--step", "mirror", "--out", tmp_path / str(jobs), "--jobs", jobs, "--quiet")[0] == 0
        )
    for path in (tmp_path / "1").iterdir():
        assert path.read_bytes() == (tmp_path / "3" / path.name).read_bytes()


def test_convert_between_formats_and_clean(tmp_path: Path) -> None:
    assert (
        run("convert", WALK, tmp_path / "a.glb")[0] == 0
        and run("convert", tmp_path / "a.glb", tmp_path / "b.bvh")[0] == 0
    )
    assert np.abs(read(tmp_path / "b.bvh").clips[0].model[1] - read(WALK).clips[0].model[1]).max() < 1e-5
    assert run("convert", DATA / "01_01_cut.bvh", tmp_path / "c.bvh", "--frame", "clean", "--units", "cm")[0] == 0
    assert read(tmp_path / "c.bvh").frame.unit == "cm"
    assert run("convert", WALK, tmp_path / "a.xyz")[0] == 2
    assert run("convert", DECKHAND, tmp_path / "d.bvh")[0] == 2, "many clips: one has to be chosen"
    assert run("convert", DECKHAND, tmp_path / "d.bvh", "--clip", "walk")[0] == 0
    assert run("convert", tmp_path / "d.bvh", tmp_path / "f.glb")[0] == 0, "and back, with every joint that it had"
    assert run("convert", DATA / "hand_left.glb", tmp_path / "e.glb")[0] == 3


def test_wrong_use_and_bad_recipes_end_with_two(tmp_path: Path) -> None:
    assert run("apply", WALK, "--out", tmp_path)[0] == 2
    assert run("apply", WALK, "--step", "mirror:plane=moon", "--out", tmp_path)[0] == 2
    assert run("apply", WALK, "--step", "mirror", "--name", "{nope}", "--out", tmp_path)[0] == 2
    assert run("apply", tmp_path / "none.bvh", "--step", "mirror", "--out", tmp_path)[0] == 3


def test_it_runs_as_a_module_without_qt() -> None:
    code = "import sys, reflexa.cli, reflexa.take, reflexa.draw; sys.exit(any(m.startswith('PySide6') for m in sys.modules))"
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0
    done = subprocess.run([sys.executable, "-m", "reflexa", "--version"], capture_output=True, text=True, check=False)
    assert done.returncode == 0 and done.stdout.startswith("reflexa")


def test_clean_export_options_reach_the_file(tmp_path: Path) -> None:
    document = read(DATA / "RiggedSimple.glb")
    proof = write(
        [document.clips[0]], document.rig, Target(tmp_path / "a.glb", "glb", WriteOptions("clean")), Origin(document)
    )
    assert not read(tmp_path / "a.glb").frame.baked and proof.error_mm < 0.01
