"""Makes docs/screenshots from the demo project: one picture of each main view."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from msgspec.structs import replace as with_fields
from PySide6.QtCore import QEvent, QPointF, QSettings, Qt, qInstallMessageHandler
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication, QWidget

from reflexa.batch.build import build, plan
from reflexa.batch.pool import Processes
from reflexa.demo import FOLDER as DEMO
from reflexa.desktop.actions import library, view
from reflexa.desktop.dialogs.batch import BatchDialog
from reflexa.desktop.dialogs.build import BuildDialog
from reflexa.desktop.dialogs.keep_recipe import KeepRecipe
from reflexa.desktop.picture.viewport import Viewport
from reflexa.desktop.qt_loop import QtLoop
from reflexa.desktop.window import MainWindow
from reflexa.project import store
from reflexa.session import recipes
from reflexa.steps import make
from reflexa.take import Source
from reflexa.take.recipe import Parameter, keep

FOLDER = Path(__file__).parent / "screenshots"


def pull(viewport: Viewport, by: tuple[int, int]) -> None:
    """Drag the hub of the selected joint's handle by pixels."""
    handle = viewport.handle()
    at = viewport.camera.project(handle.hub, viewport.width(), viewport.height())
    start, end = (QPointF(at[0] + by[0] * k, at[1] + by[1] * k) for k in (0, 1))
    left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
    for kind, place, button, held in (
        (QEvent.Type.MouseButtonPress, start, left, left), (QEvent.Type.MouseMove, end, none, left),
        (QEvent.Type.MouseButtonRelease, end, left, none),
    ):  # fmt: skip
        event = QMouseEvent(kind, place, viewport.mapToGlobal(place), button, held, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(viewport, event)


def to_show() -> None:
    """What is made for others: a review page as a browser shows it."""
    from reflexa.review.page import save_page
    from reflexa.review.subjects import subjects
    from tests.helpers.browser import browser, found

    project = Path(__file__).parents[1] / "reflexa/demo/project"
    if not found():
        print("no browser: the picture of the review page is left as it is")
        return
    with tempfile.TemporaryDirectory() as folder:
        names = ("Haul to starboard, as the Ferrykeeper", "Walk, skating fixed")
        page = save_page(
            [s for n in names for s in subjects(f"{project}#{n}")], Path(folder) / "review.html", "For the ferry"
        )
        with browser(Path(folder) / "profile", "1280,940") as b:
            b.open(page)
            b.wait("document.body.dataset.ready === '0'")
            b.run(
                "for (const x of document.querySelectorAll('#modes button')) if (x.textContent === 'Side by side') x.click()"
            )
            b.run("review.goTo(30); await new Promise(r => setTimeout(r, 500))")
            (FOLDER / "review.png").write_bytes(b.picture())


def fill_library(folder: Path) -> Path:
    """The demo's clips as files of their own, some mirrored, some on the other figure."""
    from reflexa.formats import encode, read
    from reflexa.motion.clip import Clip
    from reflexa.steps.mirror import MirrorSettings, mirror
    from reflexa.steps.retarget.step import RetargetSettings, retarget

    figures = {n: read(DEMO / f"sources/{n}.glb") for n in ("deckhand", "ferrykeeper", "heron")}
    bare = {n: replace(d.rig, meshes=()) for n, d in figures.items()}

    def put(clip: Clip, name: str, who: str) -> None:
        (folder / who).mkdir(parents=True, exist_ok=True)
        (folder / who / f"{name}.glb").write_bytes(encode([replace(clip, name=name)], bare[who], "glb"))

    for who, document in figures.items():
        for clip in document.clips:
            put(clip, clip.name, who)
            put(mirror(clip, bare[who], MirrorSettings()), f"{clip.name}, mirrored", who)
            if who == "deckhand":
                onto = {"k": bare["ferrykeeper"]}
                put(retarget(clip, bare[who], RetargetSettings(rig="k"), onto)[0], f"{clip.name}, broad", "ferrykeeper")
    return folder


Settle = Callable[..., None]


def whole_sets(window: MainWindow, take: Callable[..., None], settle: Settle) -> None:
    """A recipe being kept, run over many clips, and a build with its reasons."""
    session = window.session
    session.open_take("Step up, right foot first")
    settle(lambda: session.computed.evaluation is not None and not session.work.busy)
    keeping = KeepRecipe(session, session.take, window)
    keeping.name.setText("Right foot first, leaning")
    for i, names in enumerate((("Mirror plane",), ("Weight",))):
        top = keeping.tree.topLevelItem(i)
        top.setExpanded(True)
        for k in range(top.childCount()):
            if top.child(k).text(0) in names:
                top.child(k).setCheckState(0, Qt.CheckState.Checked)
    keeping.tree.topLevelItem(1).child(keeping.tree.topLevelItem(1).childCount() - 1).setText(2, "How far to lean")
    keeping.show()
    settle()
    recipes.put(session, "save recipe", keeping.recipe)
    keeping.close()
    rig = session.rigs["deckhand.glb"]
    chin = session.project.take("Walk, chin up").steps[0]
    steps = [
        make("foot-lock", "Feet stand"),
        with_fields(chin, name="Chin up"),
        make("helper-joints", "Marks follow"),
        make("retime", "Its own pace", speed=1.1),
    ]
    kept = keep("Feet stand, chin up", [(s, rig) for s in steps], [
        Parameter("Pace", steps[3].id, "speed"), Parameter("How far the chin goes up", chin.id, "weight"),
    ])  # fmt: skip
    recipes.put(session, "save recipe", kept)
    sources = [Source(f, c.name) for f, d in session.sources.documents.items() for c in d.clips]
    batch = BatchDialog(session, kept, sources, window)
    batch.show()
    settle(lambda: not session.work.busy)
    batch.start()
    settle(lambda: sum(r.state == "done" for r in batch.batch.rows) >= 9, at_least=0.1)
    batch.table.selectRow(2)
    settle(lambda: batch.preview.figure is not None, at_least=0.1)
    batch.slider.setValue(300)
    take("batch", batch)
    batch.batch.give_up()
    settle(lambda: not session.work.busy)
    batch.close()
    with tempfile.TemporaryDirectory() as place:
        project = store.load(demo_project := Path(shutil.copytree(DEMO, Path(place) / "ferry")))
        for _ in build(plan(demo_project, Path(place) / "out"), Processes(os.cpu_count() or 1)):
            pass
        (Path(place) / "out/Walk, chin up.glb").unlink()
        (Path(place) / "out/Haul, tail trimmed.glb").write_bytes(b"somebody else's")
        lean = next(t for t in project.takes if t.name == "Step up, right foot first")
        lean = replace(lean, steps=(lean.steps[0], with_fields(lean.steps[1], weight=0.8)))
        store.save(project.with_take(lean.name, lean), demo_project)
        before, session.sources.folder = session.sources.folder, demo_project
        dialog = BuildDialog(session, window)
        dialog.place.field.setText(str(Path(place) / "out"))
        dialog.look()
        dialog.show()
        settle(lambda: dialog.todo is not None)
        dialog.place.field.setText("saltmarsh-ferry/build")
        settle(at_least=0.2)
        take("build", dialog)
        dialog.close()
        session.sources.folder = before


def main() -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    QSettings.setPath(QSettings.Format.IniFormat, QSettings.Scope.UserScope, tempfile.mkdtemp())
    from reflexa.desktop import app as application
    from reflexa.library import folder_list as library_folders
    from reflexa.library import index as library_index
    from reflexa.session import RESULT, SOURCE, Session
    from reflexa.session.sources import demo_copy

    # The offscreen platform has no size hints to pass on, and says so at every resize.
    qInstallMessageHandler(lambda _kind, _where, text: None if "propagateSizeHints" in text else print(text))
    app = application.make_app()
    window = MainWindow(Session(QtLoop()))
    session = window.session
    session.load(demo_copy())
    window.resize(1280, 800)
    window.show()

    def settle(done: Callable[[], bool] = lambda: True, at_least: float = 0.8) -> None:
        start = time.monotonic()
        while time.monotonic() - start < at_least or (not done() and time.monotonic() - start < 20):
            app.processEvents()
            time.sleep(0.005)

    def take(name: str, widget: QWidget = window) -> None:
        FOLDER.mkdir(exist_ok=True)
        widget.grab().save(str(FOLDER / f"{name}.png"))
        print(FOLDER / f"{name}.png")

    def ready() -> bool:
        return session.computed.evaluation is not None and not session.work.busy and not session.sources.waiting

    def open_take(name: str) -> None:
        session.open_take(name)
        settle(ready)

    settle(ready)
    session.sources.folder = Path("saltmarsh-ferry")  # all is read: no machine's paths in the pictures
    session.history.saved_changed.emit()
    session.player.set_frame(12)
    settle(ready)
    take("window")

    open_take("Walk on the spot")
    session.player.set_frame(10)
    session.selection.select_joint("hand_right")
    settle()
    pull(window.viewport, (-46, -70))
    settle(at_least=1.2)
    take("correction")
    session.undo()
    session.undo()

    open_take("Walk with the lantern")
    session.selection.select_card(session.take.steps[0].id)
    session.player.set_frame(10)
    window.viewport.set_compare("Both")
    settle(at_least=1.2)
    take("blend")
    window.viewport.set_compare("After")

    open_take("Step up, right foot first")
    session.selection.select_card(session.take.steps[1].id)
    session.player.set_frame(30)
    session.selection.select_joint("spine_mid")
    window.time_area.show_page("turn")
    session.selection.select_keys({("spine_mid", k.frame) for k in session.layer.track("spine_mid").keys})
    window.commands.run("ease_overshoot_and_settle")
    session.selection.select_keys(set(sorted(session.selection.keys)[1:2]))
    window.viewport.buttons["ghosts"].click()
    window.viewport.buttons["trail"].click()
    settle(at_least=1.2)
    take("curves")
    session.undo()
    window.viewport.buttons["ghosts"].click()
    window.viewport.buttons["trail"].click()
    window.time_area.show_page("")

    open_take("Ashore, and look round")
    session.selection.select_card(SOURCE)
    session.player.set_frame(106)
    window.viewport.frame_figure()
    settle(at_least=1.2)
    take("sequence")

    open_take("Haul, wind-up slowed")
    session.selection.select_card(session.take.steps[0].id)
    session.player.set_frame(36)
    window.viewport.frame_figure()
    settle(at_least=1.2)
    take("retime")
    window.viewport.set_compare("Both")
    window.tabs.setCurrentIndex(1)
    session.selection.select_joint("hand_left")
    settle()
    take("figure")
    window.viewport.set_compare("After")
    window.tabs.setCurrentIndex(0)

    open_take("Walk, as the Ferrykeeper")
    session.selection.select_card(session.take.steps[0].id)
    session.player.set_frame(8)
    window.viewport.set_compare("Side by side")
    window.viewport.frame_figure()
    settle(at_least=1.6)
    take("retarget")
    window.viewport.set_compare("After")

    def look(**how: float) -> None:
        window.viewport.set_camera(replace(window.viewport.camera, **how))

    open_take("Walk along the quay")
    session.selection.select_card(session.take.steps[0].id)
    session.player.set_frame(60)
    look(yaw=55.0, pitch=24.0, distance=7.5)
    settle(at_least=1.2)
    take("path")

    open_take("Walk, skating fixed")
    session.selection.select_card(session.take.steps[0].id)
    session.player.set_frame(58)
    window.viewport.set_look(follow=False)
    window.down.setSizes([450, 215])
    look(yaw=50.0, pitch=22.0, distance=5.0)
    window.viewport.frame_figure()
    settle(at_least=1.2)
    take("foot-lock")

    open_take("Haul to starboard, as the Ferrykeeper")
    session.selection.select_card(SOURCE)
    window.commands.run("add_contacts")
    session.player.set_frame(40)
    settle(ready, at_least=1.2)
    take("contacts")
    session.undo()
    window.down.setSizes([478, 182])
    window.viewport.set_look(follow=True)

    open_take("Step up onto the jetty")
    session.selection.select_card(RESULT)
    session.selection.select_prop("jetty step")
    window.tabs.setCurrentIndex(2)
    session.player.set_frame(40)
    look(yaw=60.0, pitch=18.0, distance=5.2)
    settle(at_least=1.2)
    take("stage")
    session.selection.select_prop("")
    window.tabs.setCurrentIndex(0)

    open_take("A heavier haul")
    session.selection.select_card(RESULT)
    window.commands.run("next_finding")
    settle(ready, at_least=1.2)
    take("findings")
    window.commands.run("page_keys")
    window.down.setSizes([478, 182])

    to_show()

    open_take("Haul, port side")
    window.commands.run("export")
    dialog = window.desk.dialog
    with tempfile.TemporaryDirectory() as folder:
        dialog.place.field.setText(folder)
        dialog.start()
        settle(lambda: dialog.proof is not None)
        dialog.place.field.setText("clips")
        dialog.said.setText(dialog.said.text().replace(folder, "clips"))
        settle()
        take("export", dialog)
        dialog.close()

    whole_sets(window, take, settle)
    open_take("Step up, right foot first")
    session.selection.select_card(session.take.steps[1].id)
    session.player.set_frame(30)
    settle()
    with tempfile.TemporaryDirectory() as place:
        library_folder = fill_library(Path(place) / "Landing")
        library_index.index_path = lambda: Path(place) / "library.sqlite"
        library_folders.folders_path = lambda: Path(place) / "shelves.json"
        library.put_library_folder(window.desk, library_folder)
        settle(lambda: ready() and not window.library.work.scanning)
        window.desk.fill(None, view.panel(window.desk, "left"))
        window.library.filter_button.click()
        window.library.grid.setCurrentIndex(window.library.model.index(3))
        settle(at_least=0.5)
        take("library")
        window.library.filter_button.click()
        window.desk.fill(None, view.panel(window.desk, "left"))
        window.commands.run("theme_Night watch")
        window.commands.run("like_this")
        settle(ready, at_least=1.2)
        take("night")
    window.commands.run("theme_Daylight")
    # No context or window is left to be taken apart by the interpreter's end.
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main()
