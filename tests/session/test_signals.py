"""Signals without a toolkit, and the loop that a session lives in."""

from __future__ import annotations

import gc
import threading
import time
import weakref

import pytest

from reflexa.session.loop import PlainLoop
from reflexa.session.signals import Signal


class Listener:
    def __init__(self, heard: list[str], name: str) -> None:
        self.heard, self.name = heard, name

    def hear(self) -> None:
        self.heard.append(self.name)


def test_listeners_are_told_in_their_order_and_held_by_nobody() -> None:
    changed, heard = Signal[()](), list[str]()
    first, second = Listener(heard, "first"), Listener(heard, "second")
    changed.connect(first.hear)
    changed.connect(second.hear)
    changed.emit()
    assert heard == ["first", "second"]
    gone = weakref.ref(first)
    del first
    gc.collect()
    assert gone() is None
    changed.emit()
    assert heard == ["first", "second", "second"]
    changed.disconnect(second.hear)
    changed.emit()
    assert len(heard) == 3


def test_a_listener_that_fails_keeps_nobody_from_hearing() -> None:
    said, heard = Signal[str](), list[str]()

    def fail(_: str) -> None:
        raise ValueError("first")

    said.connect(fail)
    said.connect(heard.append)
    with pytest.raises(ValueError, match="first"):
        said.emit("word")
    assert heard == ["word"]


def test_who_listens_while_others_are_told_is_told_from_the_next_time_on() -> None:
    changed, heard = Signal[()](), list[int]()

    def more() -> None:
        changed.connect(lambda: heard.append(1))

    changed.connect(more)
    changed.emit()
    assert not heard
    changed.emit()
    assert heard == [1]


def test_calls_of_other_threads_are_made_on_the_thread_of_the_loop() -> None:
    loop, where = PlainLoop(), list[int]()
    thread = threading.Thread(target=lambda: loop.post(lambda: where.append(threading.get_ident())))
    thread.start()
    assert loop.run(lambda: bool(where))
    thread.join()
    assert where == [threading.get_ident()]


def test_timers_come_again_or_once_and_can_be_stopped() -> None:
    loop, ticks, once = PlainLoop(), list[int](), list[int]()
    ticker, single = loop.timer(lambda: ticks.append(1), 1), loop.timer(lambda: once.append(1), 1, once=True)
    ticker.start()
    single.start()
    assert loop.run(lambda: len(ticks) >= 5) and once == [1] and not single.active
    ticker.stop()
    count = len(ticks)
    assert not loop.run(lambda: len(ticks) > count, seconds=0.02)


def test_a_timer_that_is_always_due_keeps_no_call_waiting() -> None:
    loop, called = PlainLoop(), list[int]()
    loop.timer(lambda: time.sleep(0.002), 1).start()
    loop.post(lambda: called.append(1))
    assert loop.run(lambda: bool(called), seconds=5)


def test_who_is_told_may_tell_others_though_a_listener_is_gone() -> None:
    changed, heard = Signal[()](), list[str]()
    gone = Listener(heard, "gone")

    def again() -> None:
        if not heard:
            heard.append("again")
            changed.emit()

    changed.connect(again)
    changed.connect(gone.hear)
    del gone
    gc.collect()
    changed.emit()
    assert heard == ["again"]
