"""ASF and AMC: a worked example by hand, random figures against SciPy, how the two files find each other, and damage.

The rules of the format (a bone's turn is C · M · C⁻¹ over its parent's, its end lies length · direction away, angles turn
about fixed axes x, y, z in that order) are from memory of its published description.
"""

from __future__ import annotations

import contextlib
import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from reflexa.errors import ReadError, ReflexaError
from reflexa.formats import ReadOptions, read
from reflexa.project.sources import add_source
from tests.helpers.commands import run

HEAD = """# a figure
:version 1.10
:name VICON
:units
  mass 1.0
  length 1.0
  angle deg
:documentation
   made by hand: begin of nothing
:root
   order TX TY TZ RX RY RZ
   axis XYZ
   position 0 0 0
   orientation 0 0 0
"""
# An upper arm to the left of the figure and a forearm on it, whose own axes are turned by 90° about z.
ARM = """:bonedata
  begin
     id 1
     name lhumerus
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
     name lradius
     direction 1 0 0
     length 8
     axis 0 0 90  XYZ
     dof rx
     limits (-10.0 170.0)
  end
:hierarchy
  begin
    root lhumerus
    lhumerus lradius
  end
"""
METRES = ReadOptions(unit=1.0, facing="+Z")


def pair(folder: Path, asf: str, amc: str, name: str = "swing") -> Path:
    (folder / f"{name}.asf").write_text(asf)
    (folder / f"{name}.amc").write_text(amc)
    return folder / f"{name}.amc"


def frame(number: int, **bones: str) -> str:
    return f"{number}\n" + "".join(f"{name} {values}\n" for name, values in bones.items())


def test_a_worked_example(tmp_path: Path) -> None:
    """By hand: at first everything lies along +x. Then the forearm turns by 90° about its own x axis, which is the
    world's y (its axes are turned by 90° about z): +x goes to -z. Then the upper arm turns by 90° about z as well: it
    points up, and what pointed to -z still does. At last the whole figure turns by 90° about y: -z goes to -x."""
    amc = ":FULLY-SPECIFIED\n:DEGREES\n"
    amc += frame(1, root="1 2 3 0 0 0", lhumerus="0 0 0", lradius="0")
    amc += frame(2, root="1 2 3 0 0 0", lhumerus="0 0 0", lradius="90")
    amc += frame(3, root="1 2 3 0 0 0", lhumerus="0 0 90", lradius="90")
    amc += frame(4, root="1 2 3 0 90 0", lhumerus="0 0 90", lradius="90")
    document = read(pair(tmp_path, HEAD + ARM, amc), METRES)
    clip, index = document.clips[0], document.rig.skeleton.index
    turned, placed = clip.model
    assert clip.frames == 4 and clip.rate == 120.0
    assert np.allclose(placed[:, index["root"]], [1, 2, 3]) and np.allclose(placed[:, index["lhumerus"]], [1, 2, 3])
    elbow = placed[:, index["lradius"]]
    assert np.allclose(elbow, [[11, 2, 3], [11, 2, 3], [1, 12, 3], [1, 12, 3]])
    forearm = Rotation.from_quat(turned[:, index["lradius"]]).apply(document.rig.tips["lradius"])
    assert np.allclose(forearm, [[8, 0, 0], [0, 0, -8], [0, 0, -8], [-8, 0, 0]])


def figure(seed: int, radians: bool = False) -> tuple[str, str, np.ndarray]:
    """A random figure as text, random motion for it, and where its bones end ``(frames, bones, 3)``, with SciPy."""
    rng = np.random.default_rng(seed)
    names = [f"b{i}" for i in range(9)]
    above = ["root", *(rng.choice(["root", *names[:i]]) for i in range(1, 9))]
    direction = rng.normal(size=(9, 3))
    length, axis = rng.uniform(0.1, 0.4, 9), rng.uniform(-90, 90, (9, 3))
    dof = [[["rx", "ry", "rz"], ["rz"], ["rx", "rz"], []][rng.integers(4)] for _ in names]
    text = HEAD + ":bonedata\n"
    for n, d, s, a, c in zip(names, direction, length, axis, dof, strict=True):
        limits = "limits " + "\n".join("(-180 180)" for _ in c) if c else ""
        text += (
            f"begin\nid 1\nname {n}\ndirection {' '.join(map(repr, d.tolist()))}\nlength {float(s)!r}\n"
            f"axis {' '.join(map(repr, a.tolist()))} XYZ\n{'dof ' + ' '.join(c) if c else ''}\n{limits}\nend\n"
        )
    text += ":hierarchy\nbegin\n" + "".join(f"{p} {n}\n" for p, n in zip(above, names, strict=True)) + "end\n"
    motion, ends = (":RADIANS\n" if radians else ":DEGREES\n"), np.zeros((4, 9, 3))
    for f in range(4):
        place, turn = rng.uniform(-1, 1, 3), rng.uniform(-180, 180, 3)
        unit = np.pi / 180 if radians else 1.0
        motion += f"{f + 1}\nroot {' '.join(map(repr, (*place.tolist(), *(turn * unit).tolist())))}\n"
        world = {"root": (Rotation.from_euler("xyz", turn, degrees=True), place)}
        for i, n in enumerate(names):
            angles = {c: rng.uniform(-120, 120) for c in dof[i]}
            if dof[i]:
                motion += f"{n} {' '.join(repr(float(v * unit)) for v in angles.values())}\n"
            c = Rotation.from_euler("xyz", axis[i], degrees=True)
            m = Rotation.from_euler("xyz", [angles.get(k, 0.0) for k in ("rx", "ry", "rz")], degrees=True)
            q, p = world[above[i]]
            own = q * c * m * c.inv()
            end = p + own.apply(direction[i] / np.linalg.norm(direction[i]) * length[i])
            world[n], ends[f, i] = (own, end), end
    return text, motion, ends


@pytest.mark.parametrize("radians", [False, True])
@pytest.mark.parametrize("seed", range(8))
def test_random_figures_end_where_scipy_says(seed: int, radians: bool, tmp_path: Path) -> None:
    asf, amc, expected = figure(seed, radians)
    document = read(pair(tmp_path, asf, amc), METRES)
    clip, skeleton = document.clips[0], document.rig.skeleton
    turned, placed = clip.model
    # The reader may have turned the figure up: everything is the same up to one turn of the whole.
    own = []
    for i in range(9):
        j = skeleton.index[f"b{i}"]
        children = skeleton.children[j]
        if children:
            own.append(placed[:, children[0]])
        else:
            own.append(placed[:, j] + Rotation.from_quat(turned[:, j]).apply(document.rig.tips[f"b{i}"]))
    got, wanted = np.stack(own, axis=1).reshape(-1, 3), expected.reshape(-1, 3)
    turn, _ = Rotation.align_vectors(wanted, got)
    assert np.abs(turn.apply(got) - wanted).max() < 1e-9


def test_a_skeleton_alone_is_a_rig_and_motion_finds_it_beside_or_is_given_it(tmp_path: Path) -> None:
    amc = pair(tmp_path, HEAD + ARM, ":DEGREES\n" + frame(1, root="0 0 0 0 0 0"), "07_01")
    (tmp_path / "other.asf").write_text(HEAD + ARM)
    alone = read(tmp_path / "07_01.asf", METRES)
    assert not alone.clips and alone.rig.skeleton.names == ("root", "lhumerus", "lradius")
    assert read(amc, METRES).clips[0].name == "07_01"
    (tmp_path / "07_01.asf").rename(tmp_path / "07.asf")
    assert read(amc, METRES).rig.key == alone.rig.key, "of the name before the underscore"
    (tmp_path / "07.asf").rename(tmp_path / "someone.asf")
    with pytest.raises(ReadError, match="no skeleton file next to it") as error:
        read(amc, METRES)
    assert "--rig" in str(error.value), "two are there, and neither has the name"
    status, out, err = run("info", amc, "--rig", tmp_path / "someone.asf", "--json")
    assert status == 0, err
    assert json.loads(out)["files"][0]["clips"][0]["frames"] == 1
    (tmp_path / "other.asf").unlink()
    assert read(amc, METRES).clips, "the only one there"
    name, new = add_source(tmp_path / "project", amc)
    assert name == "07_01.amc" and {p.name for p in new} == {"07_01.amc", "someone.asf"}
    assert read(tmp_path / "project" / "sources" / name, METRES).clips


def test_a_pair_is_converted(tmp_path: Path) -> None:
    asf, amc, _ = figure(3)
    path = pair(tmp_path, asf, amc)
    status, _, err = run("convert", path, tmp_path / "out.glb", "--units", "m")
    assert status == 0, err
    a, b = read(path, ReadOptions(unit=1.0)).clips[0], read(tmp_path / "out.glb").clips[0]
    assert np.abs(a.model[1] - b.model[1]).max() < 1e-5
    status, _, err = run("convert", path, tmp_path / "out.amc")
    assert status == 2 and "suffix must be one of" in err, "it is only read"


def test_the_scale_of_the_large_database_is_told_from_its_unit(tmp_path: Path) -> None:
    """``length 0.45`` there means inches / 0.45 (common practice of readers of that database; no source beside memory)."""
    tall = HEAD.replace("length 1.0", "length 0.45") + ARM.replace("length 10", "length 15").replace(
        "1 0 0\n", "0 1 0\n"
    )
    document = read(pair(tmp_path, tall, ":DEGREES\n" + frame(1, root="0 0 0 0 0 0")), ReadOptions(facing="+Z"))
    bone = document.rig.skeleton.index["lradius"]
    assert document.frame.unit == "in/0.45"
    assert np.linalg.norm(document.rig.skeleton.rest_translations[bone]) == pytest.approx(15 * 0.0254 / 0.45)


@pytest.mark.parametrize(
    "asf,amc,said",
    [
        ("", frame(1), "empty"),
        (HEAD, frame(1), ":bonedata"),
        (HEAD + ARM.replace("lhumerus lradius", "lhumerus nobody"), frame(1), "no bone 'nobody'"),
        (HEAD + ARM.replace("lhumerus lradius", "lradius lhumerus"), frame(1), "has two parents"),
        (HEAD + ARM.replace("    lhumerus lradius\n", ""), frame(1), "does not contain lradius"),
        (HEAD + ARM.replace("root lhumerus", "lradius lhumerus"), frame(1), "circle"),
        (HEAD + ARM.replace("name lradius", "name lhumerus"), frame(1), "two bones are called"),
        (HEAD + ARM.replace("length 8", "length eight"), frame(1), "'eight' is not a number"),
        (HEAD + ARM.replace("length 8", "length 1e300"), frame(1), "cannot be used"),
        (HEAD + ARM.replace("length 8", "length nan"), frame(1), "cannot be used"),
        (HEAD + ARM.replace("dof rx\n", "dof rx rx\n"), frame(1), "twice"),
        (HEAD + ARM.replace("dof rx\n", "dof sideways\n"), frame(1), "not a channel"),
        (HEAD + ARM.replace("0 0 90  XYZ", "0 0 90  XYX"), frame(1), "not an order of axes"),
        (HEAD + ARM[: ARM.index("id 2")], frame(1), ":hierarchy"),
        (HEAD + ARM, "", "empty"),
        (HEAD + ARM, ":DEGREES\n", "no frame"),
        (HEAD + ARM, frame(1, lradius="1 2"), "2 numbers instead of 1"),
        (HEAD + ARM, frame(1, lradius="x"), "not a number"),
        (HEAD + ARM, frame(1, foot="1"), "no bone 'foot'"),
        (HEAD + ARM, "lradius 5\n", "before the first frame"),
        (HEAD + ARM, "1\nlradius 5\nlradius 6\n", "twice in a frame"),
        (HEAD + ARM, "1\nlradius 5\0\n", "binary"),
    ],
)
def test_damage_is_told_with_its_line(asf: str, amc: str, said: str, tmp_path: Path) -> None:
    with pytest.raises(ReadError) as error:
        read(pair(tmp_path, asf, amc))
    assert said in str(error.value) and "swing." in str(error.value)
    status, _, err = run("info", tmp_path / "swing.amc")
    assert status == 3 and "Traceback" not in err


@pytest.mark.long
@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_no_damage_ends_in_anything_but_a_typed_error(tmp_path: Path, data: st.DataObject) -> None:
    asf, amc, _ = figure(5)
    texts = [asf.encode(), amc.encode()]
    which = data.draw(st.integers(0, 1))
    raw = bytearray(texts[which])
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(raw) - 1))
        kind = data.draw(st.integers(0, 2))
        if kind == 0:
            raw[at] = data.draw(st.integers(0, 255))
        elif kind == 1:
            del raw[at : at + data.draw(st.integers(1, 200))]
            raw = raw or bytearray(b" ")
        else:
            raw[at:at] = data.draw(st.sampled_from([b"-", b"1e99", b"\n", b":", b"begin\n", b"\xff", b"#"]))
    texts[which] = bytes(raw)
    (tmp_path / "x.asf").write_bytes(texts[0])
    (tmp_path / "x.amc").write_bytes(texts[1])
    with contextlib.suppress(ReflexaError):
        read(tmp_path / "x.amc")
