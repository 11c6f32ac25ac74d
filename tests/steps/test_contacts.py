"""The contacts step: what is said there is what every step behind it, and every finding, keeps to."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np
import pytest

from quality import clips
from quality.figure import Figure
from quality.operations import run
from reflexa.contacts.find import described, found
from reflexa.errors import RecipeError
from reflexa.motion import stances
from reflexa.motion.contact import Contact
from reflexa.motion.limbs import limb_end
from reflexa.rig.limbs import limb_of
from reflexa.rig.sides import swap_in_text
from reflexa.stage.footing import footing
from reflexa.steps import make
from reflexa.steps.events import of_feet

MADE = dict(clips.demo())
RIGS = clips.demo_rigs()


def said(f: Figure, *contacts: Contact) -> Figure:
    return run(make("contacts", find=False, contacts=contacts), f)


def test_found_ones_change_nothing_and_said_ones_leave_the_motion_alone() -> None:
    f = MADE["deckhand: rope haul"]
    assert run(make("contacts"), f).clip is f.clip
    own = found(f.clip, f.rig)
    out = said(f, *own)
    assert out.clip.contacts == own and np.array_equal(out.clip.rotations, f.clip.rotations)
    assert out.clip.digest != f.clip.digest, "what reads contacts is computed anew"


def test_the_foot_lock_the_events_and_the_findings_read_the_same_ones() -> None:
    f = MADE["deckhand: walk, skating"]
    own = [c for c in found(f.clip, f.rig) if c.limb == "left foot"]
    assert len(own) > 2
    out = said(f, *own[:1])  # of all stances only the first, and of the left foot
    first = own[0]
    feet = footing(out.clip, out.rig)
    assert stances.spans(feet["left"].stands) == [(first.first, first.last)] and not feet["right"].stands.any()
    assert {e.name for e in of_feet(out.clip, out.rig)} <= {"left strike", "left lift"}
    locked, free = run(make("foot-lock"), out), run(make("foot-lock"), f)
    level = [0, 2]
    right = (x.clip.model[1][:, f.rig.joint("right foot")][:, level] for x in (f, locked, free))
    was, with_left, with_all = right
    assert np.abs(with_left - was).max() < 0.02 < np.abs(with_all - was).max()


def test_a_shorter_contact_locks_the_foot_for_shorter() -> None:
    f = MADE["deckhand: rope haul"]
    out = run(make("foot-lock"), said(f, Contact("left foot", 20, 40)))
    toes = out.clip.model[1][20:41, out.rig.joint("left foot")]
    assert np.abs(toes - toes[0]).max() < 1e-3


@pytest.mark.parametrize("kind", ["mirror", "reverse", "trim", "retime"])
def test_contacts_go_along_with_sides_and_time(kind: str) -> None:
    f = MADE["deckhand: step up"]
    own = found(f.clip, f.rig)
    settings = {
        "mirror": {"plane": "world"},
        "trim": {"first": 10, "last": 60},
        "retime": {"how": "speed", "speed": 0.5},
    }
    step = make(kind, **settings.get(kind, {}))
    out = run(step, said(f, *own)).clip
    assert out.contacts
    for c in own:
        name = swap_in_text(c.limb) if kind == "mirror" else c.limb
        after = [x for x in out.contacts if x.limb == name and bool(x.other) == bool(c.other)]
        first, last = {
            "mirror": (c.first, c.last), "reverse": (f.clip.frames - 1 - c.last, f.clip.frames - 1 - c.first),
            "trim": (max(c.first - 10, 0), min(c.last - 10, 50)), "retime": (2 * c.first, 2 * c.last),
        }[kind]  # fmt: skip
        if last >= first:
            assert any(abs(x.first - first) <= 1 and abs(x.last - last) <= 1 for x in after), (c, after)
    if kind == "mirror":
        assert sorted(map(repr, out.contacts)) == sorted(map(repr, found(out, f.rig)))


def test_mirrored_contacts_are_those_of_the_mirrored_clip() -> None:
    f = MADE["deckhand: rope haul"]
    out = run(make("mirror", plane="world"), said(f, *found(f.clip, f.rig)))
    assert sorted(map(repr, out.clip.contacts or ())) == sorted(map(repr, found(out.clip, out.rig)))
    to = {"k": RIGS["ferrykeeper"].rig}
    told, anew = (run(make("retarget", rig="k"), x, rigs=to) for x in (out, said(out, *found(out.clip, out.rig))))
    assert np.array_equal(told.clip.rotations, anew.clip.rotations)


def apart(f: Figure) -> np.ndarray:
    ends = [limb_end(f.clip.model, limb_of(f.rig, f"{s} hand")) for s in ("left", "right")]  # type: ignore[arg-type]
    return np.linalg.norm(ends[1] - ends[0], axis=1)


def test_a_relation_that_is_taken_out_is_not_kept_and_one_put_in_is() -> None:
    f, to = MADE["deckhand: rope haul"], {"k": RIGS["ferrykeeper"].rig}
    own = found(f.clip, f.rig)
    kept, free = run(make("retarget", rig="k"), f, rigs=to), run(make("retarget", rig="k", relations=False), f, rigs=to)
    without = said(f, *(c for c in own if not c.other))
    loose = run(make("retarget", rig="k"), without, rigs=to)
    assert np.ptp(apart(kept) / apart(f)) < 0.12
    assert np.abs(apart(loose) - apart(free)).mean() < 0.5 * np.abs(apart(kept) - apart(free)).mean()
    wide = MADE["deckhand: lantern idle"]
    put_in = Contact("left hand", 40, 80, other="right hand")
    asked = run(make("retarget", rig="k"), said(wide, put_in), rigs=to)
    plain = run(make("retarget", rig="k", relations=False), wide, rigs=to)
    wanted = apart(wide) * apart(kept).mean() / apart(f).mean()
    off = [np.abs(apart(x) - wanted)[45:76].mean() for x in (asked, plain)]
    assert off[0] < 0.3 * off[1], "kept as far apart as the source's, scaled"


def test_a_contact_beyond_the_end_is_refused_with_its_place() -> None:
    f = MADE["deckhand: rope haul"]
    with pytest.raises(RecipeError, match="after the end of the clip"):
        said(f, Contact("left foot", 500, 600))


def test_a_crawl_bears_on_hands_and_knees() -> None:
    from quality import made

    deckhand = RIGS["deckhand"]
    crawl = made.crawl(deckhand.rig.skeleton)
    parts = {c.part for c in described(crawl, deckhand.rig) if c.other == "ground"}
    assert {"left hand", "right hand"} <= parts and {"left knee", "right knee"} & parts
    for c in described(crawl, deckhand.rig):
        assert 0 <= c.sure <= 1 and 0 < c.weight <= 1


def test_what_is_off_stays_listed_and_is_not_held() -> None:
    f = MADE["deckhand: rope haul"]
    own = tuple(msgspec.structs.replace(c, on=False) for c in found(f.clip, f.rig))
    out = said(f, *own)
    assert out.clip.contacts and not any(x.stands.any() for x in footing(out.clip, out.rig).values())
    assert replace(out.clip, contacts=None).digest == f.clip.digest
