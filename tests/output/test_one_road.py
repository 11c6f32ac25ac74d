"""Whatever hands a result over, hands over the same: from the command line, from a take, from a build."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from reflexa.formats import read
from reflexa.output.takes import Into, export_take
from reflexa.take import Export, Range, Source, Take, evaluate
from tests.helpers.commands import run
from tests.helpers.files import DATA

WALK = DATA / "humanoid3d_walk.bvh"
RANGES = (Range("step", 0, 12), Range("round", 4, 28, True))
# Options of the command line, and the same as export settings of a take.
ASKED: dict[str, tuple[tuple[str, ...], Export]] = {
    "a rate": (("--rate", "24"), Export(rate=24.0)),
    "cycles": (("--cycles", "3"), Export(cycles=3)),
    "cycles at a rate, held": (
        ("--cycles", "2", "--rate", "50", "--hold", "3", "5"), Export(cycles=2, rate=50.0, held=(3, 5)),
    ),
    "ranges": (("--ranges", "step=0-12,round=4-28+"), Export()),
    "ranges, apart, cycles": (
        ("--ranges", "step=0-12,round=4-28+", "--apart", "--cycles", "2"), Export(ranges="apart", cycles=2),
    ),
}  # fmt: skip


@pytest.mark.parametrize("asked", ASKED)
def test_apply_and_a_take_write_the_same(asked: str, tmp_path: Path) -> None:
    options, export = ASKED[asked]
    document = read(WALK)
    (clip,) = document.clips
    status, _, err = run("apply", WALK, "--format", "glb", *options, "--out", tmp_path / "apply")
    assert status == 0, err
    ranges = RANGES if "ranges" in asked else ()
    line = evaluate(Take(WALK.stem, Source(WALK.name, clip.name), ranges=ranges), clip, document.rig)
    proof = export_take(line, export, document, [document], Into(tmp_path / "take"))
    written = sorted(p.name for p in (tmp_path / "take").glob("*.glb"))
    assert written == sorted(p.name for p in (tmp_path / "apply").glob("*.glb")) and proof.path.name in written
    for name in written:
        ours, theirs = read(tmp_path / "take" / name).clips, read(tmp_path / "apply" / name).clips
        for a, b in zip(ours, theirs, strict=True):
            assert (a.frames, a.rate, a.loop, a.events) == (b.frames, b.rate, b.loop, b.events)
            assert np.array_equal(a.rotations, b.rotations) and np.array_equal(a.translations, b.translations)
