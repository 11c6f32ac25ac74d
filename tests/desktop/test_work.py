"""Work beside the window, and work in pieces on its own thread."""

from __future__ import annotations

import threading
import weakref

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QApplication

from reflexa.desktop.idle_queue import when_idle
from reflexa.desktop.qt_loop import QtLoop
from reflexa.session.work import Job, Work


class _Asked:
    """Somebody who asked for work, and remembers on which thread it was let go."""

    def __init__(self, gone: list[int]) -> None:
        self.gone = gone

    def __del__(self) -> None:
        self.gone.append(threading.get_ident())

    def done(self, _: int) -> None: ...


def test_who_asked_for_work_is_let_go_on_the_thread_of_the_window(qapp, qtbot) -> None:
    # A widget that the thread of the work let go of last would be destroyed there.
    for failing in (False, True):
        work, gone = Work(QtLoop()), list[int]()
        asked = _Asked(gone)
        there = weakref.ref(asked)

        def call(_: Job[int], failing: bool = failing) -> int:
            if failing:
                raise ValueError
            return 1

        job = Job(call, asked.done)
        job.failed = lambda _error, asked=asked: None
        kept = work.start(job)
        del asked, job
        qtbot.waitUntil(lambda work=work: not work.busy)
        assert there() is None and gone == [threading.get_ident()] and kept is not None


def test_pieces_are_done_each_in_its_turn_and_no_more_once_nobody_is_there(qapp, qtbot) -> None:
    owner, done = QObject(), list[int]()
    when_idle(owner, [lambda i=i: done.append(i) for i in range(4)])
    assert not done
    for n in range(1, 5):
        qtbot.waitUntil(lambda n=n: len(done) >= n)
    assert done == [0, 1, 2, 3]
    qtbot.waitUntil(lambda: not owner.children())
    when_idle(owner, [lambda: done.append(9)])
    owner.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    QApplication.processEvents()
    assert 9 not in done
