"""Finding: words, filters, what fits (against what retarget and rename do), what is alike, and what people say."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import ReadError, RecipeError
from reflexa.formats import encode, read
from reflexa.library.facts import facts_of
from reflexa.library.features import features, mirrored
from reflexa.library.finder import Finder
from reflexa.library.fits import fit
from reflexa.library.folder_list import LibraryFolder, load_folders, save_folders, with_folder, without_folder
from reflexa.library.likeness import equal
from reflexa.library.notes import (
    Notes,
    edit_notes,
    in_set,
    notes_path,
    out_of_set,
    read_notes,
    restored,
    shown_at,
    starred,
    tagged,
)
from reflexa.library.plain_rig import plain_rig, whole_rig
from reflexa.library.query import Query
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps.mirror import MirrorSettings, mirror
from reflexa.steps.rename import RenameSettings, rename
from reflexa.steps.retarget.step import RetargetSettings, retarget
from tests.helpers import rigs
from tests.helpers.commands import run
from tests.helpers.files import DATA, DECKHAND, KEEPER
from tests.helpers.library import fill, library_of, renamed, scanned


@pytest.fixture(scope="module")
def library_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return fill(tmp_path_factory.mktemp("library") / "clips")


@pytest.fixture(scope="module")
def finder(library_folder: Path, tmp_path_factory: pytest.TempPathFactory) -> Finder:
    return scanned(library_folder, tmp_path_factory.mktemp("index"))


def names(finder: Finder, query: Query, **more: object) -> list[str]:
    ids = finder.search(query, **more)  # type: ignore[arg-type]
    rows = finder.rows(ids)
    return [rows[i].clip for i in ids]


def test_words_begin_what_is_said_of_a_clip(finder: Finder) -> None:
    assert names(finder, Query("walk")) == ["Take_walk01", "walk"]
    assert names(finder, Query("TAKE wa")) == ["Take_walk01"]
    assert names(finder, Query("captures run")) == ["Take_run01"]
    assert names(finder, Query('"; drop table clips; --')) == []
    assert names(finder, Query("* ( ' AND")) == []


def test_filters_and_order(finder: Finder) -> None:
    assert names(finder, Query(gaits=("running",))) == ["Take_run01"]
    assert names(finder, Query(loop=True, gaits=("walking",))) == ["brisk", "walk"]
    assert names(finder, Query(untidy=True)) == ["Take_run01", "Take_walk01"]
    assert names(finder, Query(shortest=1.2)) == ["Take_walk01"]
    assert names(finder, Query(sort="longest"))[0] == "Take_walk01"
    assert names(finder, Query(sort="fastest"))[0] == "Take_run01"
    assert names(finder, Query(travels=False)) == []


@pytest.mark.long
def test_what_fits_is_what_rename_and_retarget_do(finder: Finder) -> None:
    target = replace(read(DECKHAND).rig, meshes=())
    fits = finder.fits(target)
    assert names(finder, Query(fits=("exactly",)), fits=fits) == ["walk"]
    assert names(finder, Query(fits=("by-rename",)), fits=fits) == ["brisk"]
    assert names(finder, Query(fits=("by-retarget",)), fits=fits) == ["Take_run01", "Take_walk01"]


def tried(clip: Clip, rig: Rig, target: Rig) -> str:
    """What really can be done, the least change first."""
    try:
        made, _ = rename(clip, rig, RenameSettings(rig="t"), {"t": target})
        return "exactly" if np.array_equal(made.rotations, clip.rotations) and rig.key == target.key else "by-rename"
    except RecipeError:
        pass
    try:
        retarget(clip, rig, RetargetSettings(rig="t"), {"t": target})
        return "by-retarget"
    except RecipeError:
        return "not"


@pytest.mark.parametrize("seed", [*range(4), *(pytest.param(n, marks=pytest.mark.long) for n in range(4, 12))])
def test_fits_of_made_rigs_are_what_is_really_done(seed: int) -> None:
    """Odd axes, uneven proportions and missing parts, and the same rig under other names; from what the index keeps of it."""
    source = rigs.rig(seed, 1 + seed % 3, extras=bool(seed % 2))
    clip = rigs.clip(source, seed)
    for target in (
        source,
        renamed(source, "x_"),
        rigs.rig(seed + 1, 2),
        read(KEEPER).rig,
        read(DATA / "simple_skin.gltf").rig,
    ):
        kept = whole_rig(plain_rig(source).packed)
        assert fit(kept, target) == tried(clip, source, target)


def test_likeness_and_mirror_images(deckhand_rig: Rig, deckhand_clips: dict[str, Clip], finder: Finder) -> None:
    haul = deckhand_clips["rope haul"]
    other = mirror(haul, deckhand_rig, MirrorSettings())
    assert features(other, deckhand_rig) == pytest.approx(mirrored(features(haul, deckhand_rig)), abs=2e-3, nan_ok=True)
    one = finder.id_of(next(iter(finder.rows(finder.search(Query("brisk"))).values())).path, "brisk")
    assert one is not None
    near = finder.rows([i for i, _ in finder.like(one)][:2])
    assert [r.clip for r in near.values()] == ["brisk", "walk"]
    assert names(finder, Query(), near=one)[:3] == ["brisk", "walk", "Take_walk01"]


def test_equal_motion_under_other_names_is_found(finder: Finder) -> None:
    assert names(finder, Query(twice=True)) == ["walk", "brisk"] or names(finder, Query(twice=True)) == [
        "brisk",
        "walk",
    ]


def test_motion_that_only_goes_elsewhere_is_not_equal(deckhand_rig: Rig, deckhand_clips: dict[str, Clip]) -> None:
    rows = np.stack([features(deckhand_clips[n], deckhand_rig) for n in ("walk", "walk on the spot")])
    assert equal(rows, np.array([1.0, 1.0]), lambda _: {}) == []


def test_tags_stars_and_sets_lie_beside_the_library_folder(
    library_folder: Path, finder: Finder, tmp_path: Path
) -> None:
    at = library_of(library_folder).folders[0]
    before = sorted(p.name for p in library_folder.rglob("*"))
    keys = [r.key for r in finder.rows(finder.search(Query("walk"))).values()]
    assert sorted(keys) == ["captures/Take_walk01.bvh#Take_walk01", "own.glb#walk"]
    edit_notes(at, lambda n: tagged(n, keys, ["Calm", " calm", "long way"]))
    edit_notes(at, lambda n: starred(n, keys[:1], 9))
    edit_notes(at, lambda n: in_set(n, keys, "Landing"))
    notes = edit_notes(at, lambda n: shown_at(n, keys[0], 12))
    assert (
        sorted(p.name for p in library_folder.rglob("*")) == before
        and notes_path(at) == library_folder.parent / "clips.shelf.json"
    )
    assert notes == read_notes(at) and notes.tags == {"Calm": 2, "long way": 2} and notes.of(keys[0]).stars == 5
    finder.know(library_of(library_folder), {at.name: notes})
    assert len(names(finder, Query("calm"))) == 2 and len(names(finder, Query(tags=("Calm",), stars=5))) == 1
    assert len(names(finder, Query(set="Landing"))) == 2
    assert names(finder, Query(sort="stars"))[0] == finder.rows([finder.search(Query(stars=1))[0]]).popitem()[1].clip
    left = edit_notes(at, lambda n: out_of_set(tagged(n, keys, remove=["CALM"]), keys, "Landing"))
    assert left.sets == {} and left.tags == {"long way": 2}
    plain = json.loads(notes_path(at).read_text())
    plain["team"] = "ours"
    notes_path(at).write_text(json.dumps(plain))
    edit_notes(at, lambda n: starred(n, keys, 1))
    assert json.loads(notes_path(at).read_text())["team"] == "ours"
    notes_path(at).write_text("{")
    with pytest.raises(ReadError, match="not valid JSON"):
        edit_notes(at, lambda n: n)
    assert notes_path(at).read_text() == "{"
    notes_path(at).unlink()
    finder.know(library_of(library_folder), {})


def test_a_change_is_put_back_and_what_others_said_since_stays() -> None:
    was = in_set(tagged(Notes(), ["a", "b"], ["x"]), ["a"], "S")
    to = out_of_set(starred(tagged(was, ["a", "b"], remove=["x"]), ["a"], 3), ["a"], "S")
    now = in_set(starred(to, ["b"], 5), ["c"], "T")  # somebody else's, of b and of T
    back = restored(now, to, was)
    assert back.of("a") == was.of("a") and back.of("b") == now.of("b")
    assert back.sets == {"S": ("a",), "T": ("c",)}
    assert restored(back, was, to).of("a") == to.of("a")


def test_the_list_of_library_folders(tmp_path: Path) -> None:
    (tmp_path / "a/clips").mkdir(parents=True)
    (tmp_path / "b/clips").mkdir(parents=True)
    folders = with_folder(with_folder(load_folders(), tmp_path / "a/clips"), tmp_path / "b/clips")
    folders = with_folder(folders, tmp_path / "a/../a/clips")
    assert [s.name for s in folders.folders] == ["clips", "clips 2"]
    save_folders(replace(folders, searches={"calm": Query("walk", loop=True)}))
    again = load_folders()
    assert again.folders == folders.folders and again.searches == {"calm": Query("walk", loop=True)}
    assert [s.name for s in without_folder(again, "clips").folders] == ["clips 2"]
    with pytest.raises(ReadError, match="not a folder"):
        with_folder(folders, tmp_path / "none")
    with pytest.raises(RecipeError, match="no library folder"):
        without_folder(folders, "other")


def test_one_that_nobody_may_write_beside_is_kept_in_the_users_folder(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("os.access", lambda *_: False)
    at = LibraryFolder("disk", tmp_path / "disk")
    edit_notes(at, lambda n: tagged(n, ["a.bvh#a"], ["x"]))
    assert (
        not notes_path(at).is_relative_to(tmp_path / "disk")
        and read_notes(at).tags == {"x": 1}
        and Notes() != read_notes(at)
    )


def test_the_command_line(library_folder: Path, tmp_path: Path) -> None:
    own = Path(shutil.copytree(library_folder, tmp_path / "clips"))
    assert run("library", "add", own, "--name", "ours")[0] == 0
    assert json.loads(run("library", "list", "--json")[1])["shelves"] == [
        {"name": "ours", "folder": str(own), "there": True}
    ]
    status, out, _ = run("library", "scan", "--jobs", 1, "--json")
    assert (
        status == 0 and json.loads(out)["read"] == 5 and json.loads(out)["unreadable"][0]["path"].endswith("broken.bvh")
    )
    found = json.loads(run("library", "search", "walk", "--rig", DECKHAND, "--fits", "exactly", "--json")[1])["clips"]
    assert [(c["clip"], c["fits"]) for c in found] == [("walk", "exactly")]
    assert run("library", "search", "--fits", "by-rename")[0] == 2
    near = json.loads(run("library", "like", own / "own.glb", "--json")[1])["clips"]
    assert near[0]["clip"] == "brisk" and near[0]["off"] < 0.01
    assert (
        run("library", "tags", own / "own.glb#walk", own / "other.glb", "--add", "calm", "--stars", 3, "--into", "Set")[
            0
        ]
        == 0
    )
    assert json.loads(run("library", "tags", "--json")[1]) == {"tags": {"calm": 2}, "sets": {"Set": 2}}
    assert [c["stars"] for c in json.loads(run("library", "search", "--tag", "calm", "--json")[1])["clips"]] == [3, 3]
    assert run("library", "like", tmp_path / "none.bvh")[0] == 2
    status, said, _ = run("library", "remove", "ours", "--json")
    assert (status, json.loads(said)) == (0, {"removed": "ours"}) and run("library", "remove", "ours")[0] == 2
    assert (tmp_path / "clips.shelf.json").exists()


def test_an_untidy_file_says_so(deckhand_rig: Rig, deckhand_clips: dict[str, Clip], tmp_path: Path) -> None:
    path = tmp_path / "a.glb"
    path.write_bytes(encode([deckhand_clips["walk"]], deckhand_rig, "glb"))
    assert facts_of(path).untidy == ()
    assert facts_of(DATA / "boxing_cut.bvh").untidy[0] == "in cm, not metres"
