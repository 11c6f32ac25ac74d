"""Review pages in a real browser, from disk: what they show is what the application has. Skipped where none is installed."""

from __future__ import annotations

import io
import json
import re
from dataclasses import replace
from pathlib import Path

import msgspec
import numpy as np
from PIL import Image

from benchmarks.rigs import padded
from reflexa.checks import judge
from reflexa.formats import read
from reflexa.motion.clip import Event
from reflexa.motion.resample import at_frames
from reflexa.review.page import page, save_page
from reflexa.review.subjects import Reviewed, of_clip, subjects
from reflexa.steps import make
from reflexa.take import Accepted, Source, Take, View, evaluate
from tests.helpers.browser import Browser
from tests.helpers.commands import run
from tests.helpers.files import DATA

DEMO = DATA.parents[1] / "reflexa/demo/project"
EVIL = '</script><img src=x onerror="document.title=1">&<b>'


def show(window: Browser, path: Path) -> None:
    """Open a page; forget what was said before it."""
    window.log("browser"), window.log("performance")
    window.open(path)
    window.wait("document.body.dataset.ready === '0'")


def reviewed() -> Reviewed:
    """A skating walk, mirrored, planted, shortened, with a view and an accepted finding."""
    document = read(DEMO / "sources/deckhand.glb")
    clip = next(c for c in document.clips if c.name == "walk, skating")
    clip = replace(clip, events=(Event(3.0, EVIL),))
    steps = (make("mirror"), make("foot-lock", EVIL), make("trim", first=10))
    take = Take(
        EVIL,
        Source("deckhand.glb", clip.name),
        steps,
        views=(View("ladder", (0.0, 1.2, 0.0), 70.0, 20.0, 3.0, follow=True),),
    )
    line = evaluate(take, clip, document.rig)
    return Reviewed(EVIL, line)


def settled(window: Browser) -> np.ndarray:
    """The picture once it is drawn."""
    window.run("await new Promise(r => requestAnimationFrame(() => requestAnimationFrame(r)))")
    return np.asarray(Image.open(io.BytesIO(window.picture())).convert("RGB"), dtype=int)


def test_a_page_shows_what_the_application_has(window: Browser, tmp_path: Path) -> None:
    subject = reviewed()
    show(window, save_page([subject], tmp_path / "a.html"))
    (after, rig), (before, _) = subject.after, subject.before
    assert window.run("return [review.state.take.frames, review.state.take.before.frames]") == [
        after.frames,
        before.frames,
    ]
    names = window.run("return review.state.take.after.model.joints")
    assert names == list(after.skeleton.names)
    frames = list(range(0, after.frames, 7))
    script = "return a[0].map(f => review.state.take[a[1]].model.joints.map((_, j) => review.place(a[1], f, j)))"
    for which, clip in (("after", after), ("before", before)):
        places = np.array(window.run(script, frames, which))
        assert np.abs(places - clip.model[1][frames]).max() < 1e-4 * rig.height
    assert window.run("return review.state.take.map") == subject.frames_before.tolist()
    shown = window.run("return review.state.take.findings")
    mine = judge(subject.line).found
    assert sorted((f["kind"], f["first"], f["last"], f["worst"]) for f in shown) == sorted(
        (f.kind, *f.frames, f.worst) for f in mine
    )
    knee = next(m for m in window.run("return review.state.take.measures") if m["title"] == "Left knee")
    assert len(knee["after"]) == after.frames and max(knee["after"]) < 150


def test_a_page_is_quiet_and_asks_nobody(window: Browser, tmp_path: Path) -> None:
    show(window, save_page([reviewed()], tmp_path / "a.html"))
    settled(window)
    asked = [u for u in window.requests() if not u.startswith(("file:", "data:", "blob:", "chrome:", "about:"))]
    assert asked == []
    assert [e for e in window.log("browser") if e["level"] == "SEVERE"] == []


def test_nothing_in_the_data_becomes_part_of_the_page(window: Browser, tmp_path: Path) -> None:
    show(window, save_page([reviewed(), reviewed()], tmp_path / "a.html", EVIL))
    assert window.run("return document.querySelectorAll('img, b img').length") == 0
    assert window.run("return document.getElementById('title').textContent") == EVIL
    assert window.run("return document.title") == EVIL
    assert EVIL in window.run("return document.getElementById('steps').textContent")
    assert window.run("return [...document.getElementById('takes').options].map(o => o.textContent)") == [EVIL, EVIL]


def test_the_figure_is_drawn_orbited_scrubbed_and_played(window: Browser, tmp_path: Path) -> None:
    show(window, save_page([reviewed()], tmp_path / "a.html"))
    box = window.run(
        "const r = document.getElementById('picture').getBoundingClientRect(); return [r.x, r.y, r.width, r.height]"
    )
    x, y, w, h = (round(v) for v in box)
    first = settled(window)[y : y + h, x : x + w]
    assert (np.ptp(first, axis=2) > 60).mean() > 0.01, "a figure in colour stands there"
    window.drag((x + w // 2, y + h // 2), (x + w // 2 + 120, y + h // 2 + 10))
    assert np.abs(settled(window)[y : y + h, x : x + w] - first).mean() > 1, "it is seen from elsewhere"
    assert window.run("return review.state.camera.yaw") != 70.0
    window.press("1")
    assert window.run("return review.state.camera.yaw") == 70.0
    window.press("\ue010", "\ue011")  # End, Home
    assert window.run("return review.state.frame") == 0
    window.press("\ue014", "\ue014")  # Right
    assert window.run("return review.state.frame") == 2
    window.press(" ")
    window.wait("review.state.frame > 8")
    window.press(" ")
    assert not window.run("return review.state.playing")
    for mode in ("Before", "Both", "Side by side"):
        window.run(
            "for (const b of document.querySelectorAll('#modes button')) if (b.textContent === a[0]) b.click()", mode
        )
        assert np.abs(settled(window)[y : y + h, x : x + w] - first).mean() > 0.5, mode
    window.run("document.getElementById('theme').click()")
    assert settled(window)[5, 5].sum() < 200, "dark"


def test_findings_lead_to_their_frames(window: Browser, tmp_path: Path) -> None:
    document = read(DEMO / "sources/deckhand.glb")
    clip = next(c for c in document.clips if c.name == "walk, skating")
    subject = of_clip(clip, document.rig)
    left = [f for f in subject.judged.found if f.joint == "foot_left"]
    put_up = replace(subject.line.take, accepted=tuple(Accepted(f.kind, f.joint, *f.frames, "ice") for f in left))
    subject = Reviewed("a", evaluate(put_up, clip, document.rig))
    show(window, save_page([subject], tmp_path / "a.html"))
    count = len(subject.judged.found)
    assert window.run("return document.getElementById('found').textContent") == f"Findings ({count - len(left)})"
    worst = window.run("document.querySelector('#findings button').click(); return review.state.frame")
    assert worst == max(subject.judged.found, key=lambda f: f.weight).worst
    window.run("review.goTo(0)")
    window.press("n")
    frames = sorted(f.worst for f in subject.judged.found if f not in left)
    assert window.run("return review.state.frame") == next(f for f in frames if f > 0)


def test_a_page_is_small_and_many_takes_are_one(window: Browser, tmp_path: Path, deckhand_clips, deckhand_rig) -> None:
    document = read(DEMO / "sources/deckhand.glb")
    rig = padded(document.rig, 80)
    clip = next(c for c in document.clips if c.name == "walk to the landing")
    long = _on(at_frames(clip, np.arange(600) % clip.frames * 1.0), rig)
    line = evaluate(Take("t", Source("f", "c"), (make("mirror"),)), long, rig)
    assert len(rig.skeleton) == 80 and len(page([Reviewed("t", line)])) < 3_000_000
    short = of_clip(deckhand_clips["walk"], deckhand_rig)
    many = [replace(short, name=f"take {i}") for i in range(100)]
    show(window, save_page(many, tmp_path / "many.html"))
    window.run("await review.open(99)")
    assert window.run("return review.state.take.name") == "take 99" and (tmp_path / "many.html").stat().st_size < 9e6


def _on(clip, rig):
    """The clip on a rig with more joints, which stay as they rest."""
    q = np.tile(rig.skeleton.rest_rotations, (clip.frames, 1, 1))
    t = np.tile(rig.skeleton.rest_translations, (clip.frames, 1, 1))
    at = [rig.skeleton.index[n] for n in clip.skeleton.names]
    q[:, at], t[:, at] = clip.rotations, clip.translations
    return replace(clip, skeleton=rig.skeleton, rotations=q, translations=t)


def test_the_program_is_short_and_whole() -> None:
    script = (DATA.parents[1] / "reflexa/review/page/page.js").read_text()
    assert len(script.splitlines()) < 500 and not re.search(r"\b(fetch|XMLHttpRequest|import\(|eval)\b", script)


def test_pages_from_the_command_line(tmp_path: Path) -> None:
    out = tmp_path / "p.html"
    status, said, _ = run("review", f"{DEMO}#Walk, skating fixed", DATA / "humanoid3d_walk.bvh", "--out", out)
    assert status == 0 and "2 takes" in said
    book = json.loads(re.search(r'id="book">(.*?)</script>', out.read_text()).group(1))
    assert book["takes"] == ["Walk, skating fixed", "humanoid3d_walk"]
    assert run("review", DATA / "humanoid3d_walk.bvh", "--out", out)[0] == 4, "nothing is written over"
    assert run("review", DATA / "humanoid3d_walk.bvh", "--out", tmp_path / "p.txt")[0] == 2
    assert run("review", f"{DEMO}#none", "--out", tmp_path / "q.html")[0] == 3
    assert not (tmp_path / "q.html").exists()


def test_what_is_named_is_what_is_shown() -> None:
    (take,) = subjects(f"{DEMO}#Walk, skating fixed")
    assert take.line.take.steps and take.frames_before.tolist() == list(range(take.after[0].frames))
    assert len(subjects(str(DEMO))) == len(list((DEMO / "takes").glob("*.json")))
    msgspec.json.encode(take.line.take.steps)
