"""BVH as it comes in the real world, and back."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from reflexa.errors import ReadError, WriteError
from reflexa.formats import ReadOptions, WriteOptions, encode, read
from reflexa.formats.bvh import numbers
from reflexa.motion import quat
from reflexa.steps import apply, make
from tests.helpers import rigs
from tests.helpers.files import DATA

HEAD = """HIERARCHY
ROOT hips
{
\tOFFSET 0 90 0
\tCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
\tJOINT spine
\t{
\t\tOFFSET 0 50 0
\t\tCHANNELS 3 Yrotation Xrotation Zrotation
\t\tEnd Site
\t\t{
\t\t\tOFFSET 0 30 0
\t\t}
\t}
}
"""
ROW = "1 2 3 10 20 30 40 50 60"


def bvh(tmp_path: Path, text: str, name: str = "a.bvh") -> Path:
    path = tmp_path / name
    path.write_bytes(text.encode("latin-1"))
    return path


def motion(rows: list[str], claimed: int | None = None, time: str = "0.0333333") -> str:
    return f"MOTION\nFrames: {len(rows) if claimed is None else claimed}\nFrame Time: {time}\n" + "\n".join(rows) + "\n"


def test_channel_orders_are_products_in_file_order(tmp_path: Path) -> None:
    clip = read(bvh(tmp_path, HEAD + motion([ROW]))).clips[0]
    d = np.radians
    assert np.allclose(clip.rotations[0, 0], quat.from_euler(d([10, 20, 30]), "ZXY"))
    assert np.allclose(clip.rotations[0, 1], quat.from_euler(d([40, 50, 60]), "YXZ"))


@pytest.mark.parametrize(
    "change",
    [
        lambda t: t.replace("\n", "\r\n"),
        lambda t: t.replace("\t", "   ").replace(" ", "  "),
        lambda t: t.replace("{", "  {").replace("ROOT hips\n  {", "ROOT hips {"),
        lambda t: t.replace("10 20", "1e1\t2.0E+1"),
        lambda t: "\ufeff".encode().decode("latin-1") + t,
        lambda t: t.rstrip("\n") + " ",
        lambda t: t.replace("MOTION", "motion").replace("Frames:", "FRAMES :"),
        lambda t: t.replace("1 2 3 10", "1\n2\n3\n10"),
    ],
)
def test_spaces_line_ends_and_exponents_do_not_matter(tmp_path: Path, change) -> None:
    text = HEAD + motion([ROW, ROW])
    a, b = read(bvh(tmp_path, text)).clips[0], read(bvh(tmp_path, change(text), "b.bvh")).clips[0]
    assert a.frames == b.frames == 2 and np.allclose(a.rotations, b.rotations) and a.rate == b.rate == 30


def test_wrong_counts_are_taken_as_they_are_and_said(tmp_path: Path) -> None:
    more = read(bvh(tmp_path, HEAD + motion([ROW] * 3, claimed=2)))
    assert more.clips[0].frames == 3 and any("declares 2 frames and contains 3" in w for w in more.warnings)
    huge = read(bvh(tmp_path, HEAD + motion([ROW], claimed=2**31)))
    assert huge.clips[0].frames == 1
    cut = read(bvh(tmp_path, HEAD + motion([ROW, "1 2 3"])))
    assert cut.clips[0].frames == 1 and any("cut off" in w for w in cut.warnings)
    still = read(bvh(tmp_path, HEAD + motion([ROW], time="0")))
    assert still.clips[0].rate == 30 and any("frame time" in w for w in still.warnings)


def test_shapes_of_hierarchies(tmp_path: Path) -> None:
    no_end = HEAD.replace("End Site\n\t\t{\n\t\t\tOFFSET 0 30 0\n\t\t}\n", "")
    assert len(read(bvh(tmp_path, no_end + motion([ROW]))).rig.skeleton) == 2
    nested = HEAD.replace("OFFSET 0 30 0\n", "OFFSET 0 30 0\nEnd Site\n{\nOFFSET 0 1 0\n}\n")
    document = read(bvh(tmp_path, nested + motion([ROW])))
    assert any("End Site inside" in w for w in document.warnings)
    assert document.rig.tips["spine"][1] / document.frame.unit_scale == pytest.approx(30)
    zero = HEAD.replace("OFFSET 0 50 0", "OFFSET 0 0 0")
    assert read(bvh(tmp_path, zero + motion([ROW]))).clips[0].frames == 1
    twin = HEAD.replace("JOINT spine", "JOINT hips")
    assert read(bvh(tmp_path, twin + motion([ROW]))).rig.skeleton.names == ("hips", "hips.2")
    two_axes = HEAD.replace("CHANNELS 3 Yrotation Xrotation Zrotation", "CHANNELS 2 Yrotation Zrotation")
    clip = read(bvh(tmp_path, two_axes + motion(["1 2 3 10 20 30 40 60"]))).clips[0]
    assert np.allclose(clip.rotations[0, 1], quat.from_euler(np.radians([40, 60]), "YZ"))


@pytest.mark.parametrize(("values", "mode"), [("0 50 1", "replace"), ("0 1 0", "add")])
def test_position_channels_replace_or_add_as_the_data_says(tmp_path: Path, values: str, mode: str) -> None:
    text = HEAD.replace("CHANNELS 3 Y", "CHANNELS 6 Xposition Yposition Zposition Y")
    row = f"1 92 3 10 20 30 {values} 40 50 60"
    document = read(bvh(tmp_path, text + motion([row])))
    y = document.clips[0].translations[0, 1, 1] / document.frame.unit_scale
    assert y == pytest.approx(50 if mode == "replace" else 51)
    said = "replace" if mode == "replace" else "add to"
    (told,) = [w for w in document.warnings if "offset" in w]
    assert "'spine'" in told and f"{said} the offset of" in told
    other = "add" if mode == "replace" else "replace"
    told = read(bvh(tmp_path, text + motion([row])), ReadOptions(positions=other))
    assert told.clips[0].translations[0, 1, 1] != document.clips[0].translations[0, 1, 1]
    back = bvh(tmp_path, encode(list(document.clips), document.rig, "bvh", document).decode(), "back.bvh")
    assert np.allclose(read(back).clips[0].translations, document.clips[0].translations, atol=1e-7)


def test_units_can_be_told() -> None:
    told = read(DATA / "humanoid3d_walk.bvh", ReadOptions(unit=0.01))
    assert told.frame.unit_scale == 0.01 and told.rig.height == pytest.approx(0.01511, abs=1e-4)


def test_z_up_and_other_facings_come_out_upright(tmp_path: Path) -> None:
    """The shared walk turned to +Z up: the same motion inside."""
    document = read(DATA / "humanoid3d_walk.bvh")
    text = (DATA / "humanoid3d_walk.bvh").read_text()
    turned = []
    for line in text.splitlines():
        words = line.split()
        if words[:1] == ["OFFSET"]:
            line = f"OFFSET {words[1]} {-float(words[3])} {words[2]}"
        turned.append(line)
    head = "\n".join(turned).split("MOTION")[0]
    rows = np.array([[float(v) for v in r.split()] for r in text.split("Frame Time:")[1].splitlines()[1:]])
    swapped = head.replace("Yrotation", "?").replace("Zrotation", "-Yrotation").replace("?", "Zrotation")
    # Turning about -Y is the same as a negated Y angle: only signs and letters change.
    swapped = swapped.replace("-Yrotation", "Yrotation")
    rows[:, [1, 2]] = np.stack([-rows[:, 2], rows[:, 1]], axis=1)
    columns = [i for i in range(3, rows.shape[1]) if (i - 3) % 3 == 0]
    rows[:, columns] *= -1
    path = bvh(tmp_path, swapped + motion([" ".join(f"{v:.6f}" for v in r) for r in rows], time="0.033332"))
    upright = read(path)
    assert upright.frame.up == "+Z" and any("+Z" in w for w in upright.warnings)
    assert np.abs(upright.clips[0].model[1] - document.clips[0].model[1]).max() < 1e-5


@pytest.mark.parametrize("name", ["humanoid3d_walk.bvh", "01_01_cut.bvh", "boxing_cut.bvh"])
def test_written_back_a_clip_is_as_its_source(name: str, tmp_path: Path) -> None:
    document = read(DATA / name)
    path = tmp_path / "back.bvh"
    path.write_bytes(encode(list(document.clips), document.rig, "bvh", document))

    def parts(p: Path) -> tuple[list[str], np.ndarray]:
        head, _, body = p.read_text().partition("MOTION")
        body = body.split("Frame Time:")[1].split("\n", 1)
        words = [w if not w.replace(".", "").replace("-", "").isdigit() else f"{float(w):.4f}" for w in head.split()]
        return [*words, body[0].strip()], np.array([float(v) for v in body[1].split()])

    (head_a, rows_a), (head_b, rows_b) = parts(DATA / name), parts(path)
    assert [h.replace("-0.0000", "0.0000") for h in head_a] == [h.replace("-0.0000", "0.0000") for h in head_b]
    back = read(path)
    assert np.abs(back.clips[0].model[1] - document.clips[0].model[1]).max() < 2e-6
    unequal = np.abs((rows_a - rows_b + 180) % 360 - 180) > 2e-4
    assert unequal.mean() < 0.02, "but for the other Euler angles of the same rotation, every number is the source's"


def test_clean_bvh_takes_rest_rotations_into_its_axes() -> None:
    rig = rigs.rig(3)
    clip = rigs.clip(rig, 4, 5)
    text = encode([clip], rig, "bvh", None, WriteOptions("clean"))
    path = DATA.parent / "made.bvh"
    try:
        path.write_bytes(text)
        back = read(path, ReadOptions(unit=1.0))
    finally:
        path.unlink()
    order = [back.rig.skeleton.index[n] for n in rig.skeleton.names]
    assert np.abs(back.clips[0].model[1][:, order] - clip.model[1]).max() < 1e-5


def test_channels_are_added_where_a_clip_needs_them(tmp_path: Path) -> None:
    document = read(
        bvh(
            tmp_path,
            HEAD.replace("CHANNELS 3 Yrotation Xrotation Zrotation", "CHANNELS 1 Yrotation")
            + motion(["0 90 0 0 0 0 9"]),
        )
    )
    clip = document.clips[0]
    bent = np.array(clip.rotations)
    bent[0, 1] = quat.from_euler([0.3, 0.2, 0.1], "XYZ")
    moved = np.array(clip.translations)
    moved[0, 1] += 0.05
    new = clip.with_motion(bent, moved)
    path = bvh(tmp_path, encode([new], document.rig, "bvh", document).decode(), "b.bvh")
    assert np.abs(read(path).clips[0].model[1] - new.model[1]).max() < 1e-7


def test_several_roots_are_refused_clearly() -> None:
    with pytest.raises(WriteError, match="one clip"):
        encode([rigs.clip(rigs.rig(0), 0)] * 2, rigs.rig(0), "bvh")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "empty"),
        ("HIERARCHY\n", "no joint"),
        ("garbage\n", "does not begin with HIERARCHY"),
        (HEAD, "no MOTION"),
        (HEAD + HEAD.replace("HIERARCHY\n", "") + motion([ROW]), "second root"),
        (HEAD[:-2] + motion([ROW]), "not closed"),
        (HEAD + "}\n" + motion([ROW]), "brace too many"),
        (HEAD.replace("0 50 0", "0 x 0") + motion([ROW]), "three numbers"),
        (HEAD.replace("0 50 0", "0 nan 0") + motion([ROW]), "finite"),
        (HEAD.replace("CHANNELS 3", "CHANNELS 1 Xrotation\nCHANNELS 3") + motion([ROW]), "CHANNELS twice"),
        (HEAD.replace("Yrotation", "Wrotation") + motion([ROW]), "unknown channel"),
        (HEAD + motion([ROW.replace("20", "twenty")]), "'twenty' is not a number"),
        (HEAD + motion([ROW.replace("20", "nan")]), "not a usable number"),
        (HEAD + "MOTION\nFrames: 1\n" + ROW, "Frame Time"),
        (HEAD + motion(["1 2"]), "no complete frame"),
        ("HIERARCHY\0\0\0", "binary"),
        ("HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS 0\n}\n" + motion(["1"]), "no joint has any channel"),
        ("HIERARCHY\n" + "ROOT a\n{\n" + "JOINT a\n{\n" * 100_000, "more than 10,000 joints"),
    ],
)  # fmt: skip
def test_damage_is_named_with_file_place_and_reason(tmp_path: Path, text: str, says: str) -> None:
    path = bvh(tmp_path, text)
    with pytest.raises(ReadError, match=r"a\.bvh") as caught:
        read(path)
    assert says in str(caught.value)


def test_numbers_are_the_nearest_floats() -> None:
    rng = np.random.default_rng(0)
    words = [f"{v:.{d}f}" for v, d in zip(rng.normal(0, 200, 4000), rng.integers(0, 9, 4000), strict=True)]
    words += ["0", "-0", "+7", ".5", "-.25", "3.", "12345678.12345678", "1e-3", "-2.5E+2", "123456789012.5"]
    for mixed in (words, words[:4000]):
        text = " ".join(mixed).encode()
        assert np.array_equal(numbers.parse(text), [float(w) for w in mixed])
    assert numbers.parse(b"  \n\t ").size == 0
    for bad in (b"1 2 x", b"1.2.3", b"-", b"1-2", b".", b"1,5"):
        with pytest.raises(numbers.NotANumber):
            numbers.parse(bad)


@pytest.mark.long
@pytest.mark.parametrize("flat", [False, True])
def test_nine_thousand_joints_are_read_without_a_hang(tmp_path: Path, flat: bool) -> None:
    n = 9_000
    joint = "JOINT b{}\n{{\nOFFSET {} 1 0\nCHANNELS 1 Xrotation\n"
    body = "".join(joint.format(i, i % 50) + ("}\n" if flat else "") for i in range(n)) + ("" if flat else "}\n" * n)
    head = "HIERARCHY\nROOT r\n{\nOFFSET 0 0 0\nCHANNELS 1 Xrotation\n" + body + "}\n"
    assert len(read(bvh(tmp_path, head + motion(["0 " * (n + 1)]))).rig.skeleton) == n + 1


@pytest.mark.parametrize("offset", [(0, 90, 0), (-71.8, 85, 3), (40, 20, -160)])
@pytest.mark.parametrize("doing", ["nothing", "mirror", "to origin", "far away"])
def test_a_root_beside_its_offset_over_joints_with_absolute_places_comes_back(
    offset: tuple[float, float, float], doing: str, tmp_path: Path
) -> None:
    """Joints whose channels hold offset and all, a root whose channels hold a way beside its offset: whatever a step makes of
    their values, the file that is written says where everything is to whoever reads it by its values."""
    joints = [("hips", -1, offset), ("spine", 0, (0, 20, 1)), ("head", 1, (0, 45, 2))]
    for side, x in (("left", 10.0), ("right", -10.0)):
        at = len(joints)
        joints += [
            (f"{side}_thigh", 0, (x, -4, 0)),
            (f"{side}_shin", at, (0, -42, 1)),
            (f"{side}_foot", at + 1, (0, -40, -2)),
        ]
    lines, open_ = ["HIERARCHY"], []
    for i, (name, parent, (x, y, z)) in enumerate(joints):
        while open_ and open_[-1] != parent:
            open_.pop()
            lines.append("}")
        lines += [f"{'ROOT' if parent < 0 else 'JOINT'} {name}", "{", f"OFFSET {x} {y} {z}",
                  "CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation"]  # fmt: skip
        open_.append(i)
        if not any(p == i for _, p, _ in joints):
            lines += ["End Site", "{", "OFFSET 0 -3 12", "}"]
    lines += ["}"] * len(open_)
    rng = np.random.default_rng(1)
    rows = []
    for f in range(12):
        row = [*rng.normal(0, 1, 2), 6.0 * f, *rng.normal(0, 8, 3)]
        for _, _, place in joints[1:]:
            row += [*place, *rng.normal(0, 10, 3)]
        rows.append(" ".join(f"{v:.6f}" for v in row))
    source = read(bvh(tmp_path, "\n".join(lines) + "\n" + motion(rows)))
    clip, rig = source.clips[0], source.rig
    assert abs(clip.model[1][0, 0] - np.array(offset) * source.frame.scale[0]).max() < 0.1, "beside its offset"
    if doing == "mirror":
        clip = apply(make("mirror"), clip, rig)
    elif doing == "to origin":
        clip = apply(make("root-motion", operation="to origin"), clip, rig)
    elif doing == "far away":
        clip = clip.with_motion(
            clip.rotations, clip.translations + np.eye(len(joints))[0][:, None] * np.array([3.0, 0, -7])
        )
    (tmp_path / "b.bvh").write_bytes(encode([clip], rig, "bvh", source))
    again = read(tmp_path / "b.bvh").clips[0]
    assert np.abs(again.model[1] - clip.model[1]).max() < 1e-5
