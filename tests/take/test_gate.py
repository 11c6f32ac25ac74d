"""Nothing but plain data enters a take, so that whatever is edited can be computed and saved."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import RecipeError
from reflexa.project import store
from reflexa.project.store import Project
from reflexa.steps import make, to_plain
from reflexa.steps.correction import CorrectionSettings
from reflexa.steps.correction.settings import Key, Track
from reflexa.steps.model import Step
from reflexa.take import Export, Source, Take
from reflexa.take.gate import admitted

SLOPES = tuple(np.linspace(0, 1, 7))  # numbers of NumPy's, as a drag computes them


def layer(*keys: Key) -> Step:
    return Step("correction", CorrectionSettings(tracks=(Track("head", keys),)), id="layer")


def test_numbers_of_numpy_become_pythons() -> None:
    take = Take(
        "a", Source("a.glb", "walk"), (layer(Key(3, arrive=SLOPES, leave=SLOPES)),), Export(rate=np.float64(24))
    )
    now = admitted(take)
    (key,) = now.steps[0].settings.tracks[0].keys
    assert {type(v) for v in key.arrive} == {float} and type(now.export.rate) is float
    assert now == take and admitted(now, take) is now and admitted(now) is now, "what is plain stays the very same"


@pytest.mark.parametrize("bad", [np.nan, float("inf"), np.float64("nan"), object(), b"x"])
def test_what_cannot_be_kept_is_refused_with_its_place(bad: object) -> None:
    take = Take("a", Source("a.glb", "walk"), (layer(Key(3, move=(0.0, bad, 0.0))),))  # type: ignore[arg-type]
    with pytest.raises(RecipeError, match=r"steps\[0\]\.settings\.tracks\[0\]\.keys\[0\]\.move\[1\]"):
        admitted(take)


def test_steps_of_one_id_get_an_id_each() -> None:
    one = make("mirror")
    ids = [s.id for s in admitted(Take("a", Source("a.glb", "walk"), (one, one))).steps]
    assert ids[0] == one.id and ids[1] != one.id


def test_what_programs_make_of_numpys_numbers_is_saved_all_the_same(tmp_path: Path) -> None:
    step = layer(Key(3, arrive=SLOPES))
    assert json.loads(json.dumps(to_plain(step)))["settings"]["tracks"][0]["keys"][0]["frame"] == 3
    store.save(Project("p", takes=(Take("a", Source("a.glb", "walk"), (step,)),)), tmp_path)
    (now,) = store.load(tmp_path).takes
    assert now.steps[0].settings.tracks[0].keys[0].arrive == pytest.approx(SLOPES)


def test_a_save_that_cannot_be_says_what_and_leaves_what_was_there(tmp_path: Path) -> None:
    good = Take("a", Source("a.glb", "walk"), (layer(Key(3)),))
    store.save(Project("p", takes=(good,)), tmp_path)
    bad = replace(good, steps=(layer(Key(3, move=(0.0, object(), 0.0))),))  # type: ignore[arg-type]
    with pytest.raises(store.WriteError, match="the take 'a' cannot be saved"):
        store.save(Project("p", takes=(bad,)), tmp_path)
    assert store.load(tmp_path).takes == (good,)


def test_one_bad_number_among_many_keys_is_found_with_its_place() -> None:
    keys = tuple(Key(f, (0.0, f * 0.5, 0.0)) for f in range(2000))
    good = Take("a", Source("a.glb", "walk"), (layer(*keys),))
    assert admitted(good) is good
    for bad in (float("nan"), np.float64(3.0)):
        spoilt = (*keys[:1500], Key(1500, (0.0, bad, 0.0)), *keys[1501:])  # type: ignore[arg-type]
        if bad == bad:
            put = admitted(replace(good, steps=(layer(*spoilt),))).steps[0].settings.tracks[0].keys[1500].rotate[1]
            assert type(put) is float and put == 3.0
        else:
            with pytest.raises(RecipeError) as error:
                admitted(replace(good, steps=(layer(*spoilt),)))
            assert "keys[1500].rotate[1]" in str(error.value)
