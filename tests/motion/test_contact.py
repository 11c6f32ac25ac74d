"""Contacts as values: what they say of frames, and how they go along with maps of time."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from reflexa.motion.contact import Contact, as_one, at_times, moved, of_part, of_points, when

ROLLING = Contact("left foot", 10, 30, ball_down=13, heel_up=22, ball_up=28)


def test_a_rolling_foot_is_told_by_its_points_and_told_again() -> None:
    heel, ball, any_ = when([ROLLING], 40)
    assert np.flatnonzero(heel).tolist() == list(range(10, 23)) and np.flatnonzero(ball).tolist() == list(range(13, 29))
    assert of_points("left foot", heel, ball, any_) == [ROLLING]


def test_what_is_off_is_no_contact() -> None:
    assert not when([msgspec.structs.replace(ROLLING, on=False)], 40)[2].any()


def test_backwards_the_ball_comes_down_when_it_lifted() -> None:
    (back,) = at_times((ROLLING,), 40, np.arange(39.0, -1, -1))
    assert (back.first, back.last) == (9, 29)
    assert back.ball_down == 39 - ROLLING.ball_to and back.ball_up == 39 - ROLLING.ball_from and back.heel_up is None


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 30), st.integers(1, 40), st.integers(1, 4))
def test_slowed_down_and_sped_up_again_a_contact_is_as_it_was(first: int, long: int, slower: int) -> None:
    c, n = Contact("right hand", first, first + long, other="head"), 80
    slow = at_times((c,), n, np.arange((n - 1) * slower + 1) / slower)
    (back,) = at_times(slow, (n - 1) * slower + 1, np.arange(n) * float(slower))
    assert abs(back.first - c.first) <= 1 and abs(back.last - c.last) <= 1
    assert (back.limb, back.other) == (c.limb, c.other)


def test_of_two_hands_the_left_one_touches() -> None:
    (c,) = at_times((Contact("right hand", 3, 9, other="left hand"),), 20, np.arange(20.0))
    assert (c.limb, c.other) == ("left hand", "right hand")


def test_cut_through_a_contact_leaves_its_part() -> None:
    assert at_times((ROLLING,), 40, np.arange(20.0, 40)) == (Contact("left foot", 0, 10, heel_up=2, ball_up=8),)


def test_two_that_follow_on_each_other_are_one() -> None:
    a, b = Contact("left foot", 2, 9, ball_down=4), moved(Contact("left foot", 0, 5, heel_up=3), 10)
    (one,) = as_one([a, b])
    assert (one.first, one.last, one.ball_down, one.heel_up) == (2, 15, 4, 13)
    assert len(as_one([a, moved(b, 5)])) == 2 and len(as_one([a, Contact("right foot", 5, 12)])) == 2


def test_nobody_has_said_is_another_thing_than_none() -> None:
    assert of_part(None, "left foot") is None and of_part((), "left foot") == ()


def test_a_contact_that_ends_before_it_begins_is_refused() -> None:
    with pytest.raises(ValueError, match="before it begins"):
        Contact("left foot", 5, 4)
