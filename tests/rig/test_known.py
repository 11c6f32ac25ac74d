"""A rig that was analysed before is the same rig again; another skeleton is another."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from reflexa.formats import encode, read
from reflexa.rig.known import known_rig
from tests.helpers import rigs
from tests.helpers.files import DATA


def test_equal_skeletons_share_a_rig_and_others_do_not() -> None:
    skeleton = rigs.rig(3).skeleton
    twin = replace(skeleton, rest_translations=np.array(skeleton.rest_translations))
    other = replace(skeleton, rest_translations=skeleton.rest_translations * 1.01)
    assert known_rig(twin) is known_rig(skeleton) and known_rig(other) is not known_rig(skeleton)
    faced = known_rig(skeleton, facing=np.array([0.0, 0.0, 1.0]))
    assert faced is not known_rig(skeleton) and faced.facing_found_by == "told"
    tips = {skeleton.names[-1]: np.array([0.0, 0.1, 0.0])}
    assert known_rig(skeleton, tips=tips) is not known_rig(skeleton)
    assert known_rig(skeleton, tips=tips).tips.keys() == tips.keys()


def test_files_of_one_figure_share_it_and_its_clips_stand_on_it(tmp_path: Path) -> None:
    document = read(DATA / "humanoid3d_walk.bvh")
    paths = [tmp_path / f"{i}.glb" for i in range(2)]
    for path in paths:
        path.write_bytes(encode(list(document.clips), document.rig, "glb"))
    a, b = map(read, paths)
    assert a.rig is b.rig and a.clips[0].skeleton is b.clips[0].skeleton is a.rig.skeleton
