"""The open project: its sources, limits and notes."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from reflexa.batch.inputs import Given
from reflexa.output.takes import Into, export_take
from reflexa.project import store
from reflexa.session import takes
from reflexa.take import Export
from tests.helpers.many_sources import held, many_sources
from tests.helpers.sessions import idle, new_take, ready


def test_a_note_is_no_reason_to_build_anew(demo) -> None:
    take = demo.take
    before = Given(demo.folder, demo.project).inputs(take, ())
    takes.set_note(demo, "another")
    assert Given(demo.folder, demo.project).inputs(demo.take, ()) == before


def test_thresholds_of_the_project_count(demo, tmp_path) -> None:
    folder = demo.folder
    (folder / "thresholds.json").write_text(
        '{"reflexa": "thresholds", "version": 1, "thresholds": {"slide": {"value": 40, "unit": "cm", "why": "ice"}}}'
    )
    demo.load(folder)
    new_take(demo, "deckhand.glb", "walk, skating")
    assert not demo.evaluator.findings and demo.project.limits == {"slide": 40.0}
    store.save(demo.project, folder)
    assert store.load(folder).limits == {"slide": 40.0}


def test_a_manifest_finds_by_the_limits_of_the_project(demo, tmp_path) -> None:
    new_take(demo, "deckhand.glb", "walk, skating")

    def found() -> set[str]:
        into = Into(tmp_path, True, demo.project.limits)
        documents = demo.sources.documents.values()
        proof = export_take(demo.computed.settled, Export(), demo.document, documents, into)
        return {f["kind"] for f in json.loads(proof.manifest.read_text())["findings"]}

    assert "slide" in found()
    demo.edit("set a limit", replace(demo.project, limits={"slide": 50.0}))
    ready(demo)
    assert "slide" not in found() and "slide" not in {f.kind for f in demo.evaluator.findings}


def test_how_a_source_is_read_may_be_told_before_it_is(session, tmp_path: Path, monkeypatch) -> None:
    go = held(monkeypatch)
    session.load(many_sources(tmp_path / "many"))
    told = tuple(replace(s, unit=0.01) if s.file == "walk 07.bvh" else s for s in session.project.sources)
    session.edit("tell a unit", replace(session.project, sources=told))
    go.set()
    idle(session)
    heights = {f: d.rig.height for f, d in session.sources.documents.items()}
    assert heights["walk 07.bvh"] == pytest.approx(heights["walk 08.bvh"] * 0.01, rel=1e-6)


def test_a_rig_that_is_still_to_be_read_is_waited_for(demo) -> None:
    file = "ferrykeeper.glb"
    sources = demo.sources
    entry = next(e for e in demo.project.sources if e.file == file)
    document = sources.documents.pop(file)
    sources.waiting[file] = entry
    demo.open_take("Walk, as the Ferrykeeper")
    assert demo.being_read == file and demo.computed.evaluation is None and not demo.computed.problem
    del sources.waiting[file]
    sources.add_read(entry, document)
    demo.reader.needed.emit()
    ready(demo)
    assert demo.computed.evaluation is not None and not demo.computed.problem and not demo.being_read
