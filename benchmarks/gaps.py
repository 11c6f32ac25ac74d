"""``python -m benchmarks.gaps``: how long the window stands still in what a person does with a large project: the longest gap
between two turns of the event loop, in milliseconds, by what was done."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEventLoop, QSettings, Qt, QTimer

from reflexa.demo import FOLDER
from reflexa.desktop.actions import files, opening, view
from reflexa.desktop.app import make_app
from reflexa.desktop.qt_loop import QtLoop
from reflexa.desktop.time.area import MEASURES
from reflexa.desktop.window import MainWindow
from reflexa.session import RESULT, Session, keys, layers, takes
from reflexa.session import line as revision
from reflexa.session.sources import demo_copy, opened
from reflexa.steps.correction import CorrectionSettings, Key, Track
from reflexa.steps.correction.layers import Merged
from reflexa.take import Source

CAPTURE = Path(__file__).parents[1] / "tests" / "data" / "boxing_cut.bvh"


class Watch:
    """A heart that beats in the event loop, and remembers how long it has been held up."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.worst, self.last = window, 0.0, time.perf_counter()
        self.app = make_app()
        self.heart = QTimer(interval=1, timerType=Qt.TimerType.PreciseTimer)
        self.heart.timeout.connect(self.beat)
        self.heart.start()

    def beat(self) -> None:
        now = time.perf_counter()
        self.worst, self.last = max(self.worst, now - self.last), now

    def turn(self) -> None:
        self.app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 1)

    def run(self, seconds: float, until: Callable[[], bool] = lambda: False) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not until():
            self.turn()

    def idle(self) -> bool:
        return not self.window.session.work.busy and self.window.session.computed.evaluation is not None

    def measure(self, what: str, act: Callable[[], object], settle: float = 0.6) -> None:
        self.turn()
        self.worst, self.last = 0.0, time.perf_counter()
        act()
        self.beat()
        self.run(120, self.idle)
        self.run(settle)
        print(f"  {what:<52} {1000 * self.worst:7.0f} ms{'   over 100' if self.worst > 0.1 else ''}", flush=True)


def main() -> None:
    """Measure."""
    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, tempfile.mkdtemp())
    make_app()
    window = MainWindow(Session(QtLoop()))
    window.resize(1280, 800)
    window.show()
    watch, session = Watch(window), window.session
    folder, out = demo_copy(), Path(tempfile.mkdtemp())
    opening.enter(window.desk, *opened(folder))
    watch.run(60, watch.idle)
    watch.run(2)
    names = [t.name for t in session.project.takes]

    def import_many(count: int) -> None:
        paths = []
        for i in range(count):
            paths.append(out / f"capture {i}.bvh")
            shutil.copyfile(CAPTURE, paths[-1])
        files.import_paths(window.desk, paths)

    print("the demo")
    watch.measure("another take is opened", lambda: session.open_take(names[5]))
    watch.measure("and one on another rig", lambda: session.open_take(names[6]))

    watch.measure("undone", session.undo)
    watch.measure("a card is selected", lambda: session.selection.select_card(session.take.steps[0].id))
    watch.measure("contacts are added", lambda: window.commands.run("add_foot-lock"))
    watch.measure("the result is looked at", lambda: session.selection.select_card(RESULT))
    watch.measure("all is fixed", lambda: window.commands.run("fix_all"))
    watch.measure("the other theme", lambda: view.set_theme("Night watch", window.desk))
    watch.measure("and back", lambda: view.set_theme("Daylight", window.desk))
    watch.measure("it plays", session.player.play, 3)
    session.player.pause()
    watch.measure("saved", lambda: files.save(window.desk))
    watch.measure("a copy is saved", lambda: files.save_to(window.desk, out / "copy"))
    print("a large project")
    own = [Source("deckhand.glb", c.name) for c in session.sources.documents["deckhand.glb"].clips]
    watch.measure("500 takes are made", lambda: takes.make(session, (own * 100)[:500]), 2)
    watch.measure("a word is searched", lambda: window.clip_panel.search.setText("walk"))
    watch.measure("and no more", lambda: window.clip_panel.search.setText(""))
    watch.measure("an edit with 500 takes", lambda: window.commands.run("add_foot-lock"))
    watch.measure("saved with 500 takes", lambda: files.save(window.desk), 3)
    made = [t.name for t in session.project.takes][len(names) :]
    watch.measure("500 takes are removed", lambda: takes.delete(session, *made))
    watch.measure("which is undone", session.undo, 2)
    watch.measure("100 files are read", lambda: import_many(100), 3)
    watch.run(300, lambda: window.desk.dialog is not None and window.desk.dialog.isVisible())
    watch.run(1)
    watch.measure("and accepted", lambda: window.desk.dialog.accept(), 3)
    watch.measure("saved with them", lambda: files.save(window.desk), 5)
    print("a layer with a key on every frame for every joint")
    session.open_take(session.project.takes[-1].name)
    watch.run(5, watch.idle)
    revision.add(session, "correction")
    turns = CorrectionSettings(
        tracks=tuple(Track(n, (Key(0), Key(300, (0, 0, 9)))) for n in session.computed.rig.skeleton.names)
    )
    watch.measure("every joint is turned", lambda: revision.edit_layer(session, "turn", turns))
    span, found = layers.span_of(session, 1), list[Merged]()
    watch.measure("its layer is found", lambda: layers.find(session, span, True, found.append))
    watch.measure(f"and put in: {found[0].keys:,} keys", lambda: layers.put(session, span, found[0]))
    watch.measure("all keys are selected", lambda: window.commands.run("select_keys"))
    watch.measure("and nudged", lambda: keys.nudge(session, 1))
    watch.measure("the curves are shown", lambda: window.time_area.show_page("turn"))
    watch.measure("the measures are shown", lambda: window.time_area.show_page(MEASURES))
    large = out / "large"
    shutil.copytree(session.folder or FOLDER, large)
    watch.measure("it is opened again", lambda: opening.open_folder(window.desk, large), 10)
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
