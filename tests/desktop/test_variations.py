"""Variations of a take: chosen, seen together, kept as takes, undone at once."""

from __future__ import annotations

from reflexa.desktop.dialogs.between import Between
from reflexa.desktop.dialogs.variations import Variations
from reflexa.desktop.settings.result_page import ResultPage
from reflexa.session import line, variations
from tests.helpers.hands import click
from tests.helpers.windows import dialog_of, idle, open_take, ready


def test_a_family_is_seen_together_and_kept(demo, qtbot) -> None:
    session = demo.session
    open_take(demo, qtbot, "Walk, chin up")
    before = session.project
    demo.commands.run("variations")
    dialog = dialog_of(qtbot, demo, Variations)
    (setting, values), (second, more), _ = dialog.rows
    assert setting.currentText() == "Chin up · Weight"
    values.setText("0.5, 1")
    second.setCurrentIndex(second.findText("Chin up · Falloff"))
    more.setText("6..12/2")
    assert dialog.said.text() == "4 variations."
    qtbot.waitUntil(lambda: len(dialog.figures) == 4)
    figures = [figure.figure[1] for figure in dialog.figures]
    assert (figures[0].points != figures[2].points).any(), "another weight is another motion"
    assert "weight 0.5, falloff 6" in dialog.figures[0].accessibleName()
    pose = dialog.figures[0].pose
    qtbot.waitUntil(lambda: dialog.figures[0].pose != pose)
    values.setText("0.5, 7")
    assert not dialog.go.isEnabled() and "outside 0 to 2" in dialog.said.text()
    values.setText("0.5, 1")
    click(dialog.go)
    ready(qtbot, demo)
    made = [t for t in session.project.takes if t.folder == "Walk, chin up, variations"]
    assert [t.name for t in made] == [
        f"Walk, chin up, weight {w}, falloff {f}" for w in ("0.5", "1") for f in ("6", "12")
    ]
    assert [t.steps[0].weight for t in made] == [0.5, 0.5, 1.0, 1.0] and session.take == made[0]
    demo.commands.run("undo")
    assert session.project == before, "one undo"
    idle(qtbot, demo)


def test_what_can_vary(demo, qtbot) -> None:
    open_take(demo, qtbot, "Haul, port side")
    named = dict(variations.settings_of(demo.session.take))
    assert all(text.count(" · ") >= 1 for text in named) and "steps.0.weight" in named.values()


def test_a_family_follows_and_one_is_detached(demo, qtbot) -> None:
    session = demo.session
    open_take(demo, qtbot, "Walk, chin up")
    parent = session.take
    members = variations.family(parent, [("steps.0.weight", "0.5, 1.5")])
    variations.keep(session, parent, members)
    ready(qtbot, demo)
    soft, strong = (t.name for t in session.project.takes if t.varies is not None)
    assert f"A variation of {parent.name} (Chin up: weight 0.5)" in demo.settings.findChild(ResultPage).facts.text()
    line.add(session, "reverse")  # is refused: it is the parent's to change
    assert len(session.take.steps) == len(parent.steps) and "is a variation of" in demo.statusBar().currentMessage()
    demo.commands.run("open_parent")
    ready(qtbot, demo)
    assert session.take.name == parent.name
    line.add(session, "reverse")
    ready(qtbot, demo)
    assert [len(session.project.take(n).steps) for n in (soft, strong)] == [len(parent.steps) + 1] * 2
    session.open_take(soft)
    ready(qtbot, demo)
    line.weigh(session, session.take.steps[0].id, 0.75)
    demo.commands.run("detach")
    line.remove(session, session.take.steps[-1].id)
    assert session.take.varies is None and len(session.take.steps) == len(parent.steps)
    assert len(session.project.take(strong).steps) == len(parent.steps) + 1
    ready(qtbot, demo)


def test_one_in_between_by_a_slider(demo, qtbot) -> None:
    session = demo.session
    open_take(demo, qtbot, "Walk, chin up")
    variations.keep(session, session.take, variations.family(session.take, [("steps.0.weight", "0.5, 1.5")]))
    ready(qtbot, demo)
    list_ = demo.clip_panel.takes
    rows = [list_.item(i) for i in range(list_.count())]
    demo.commands.run("between")
    assert "select two variations" in demo.statusBar().currentMessage().lower()
    list_.clearSelection()
    for row in rows:
        row.setSelected("weight" in row.text())
    demo.commands.run("between")
    dialog = dialog_of(qtbot, demo, Between)
    qtbot.waitUntil(lambda: dialog.figure.figure is not None)
    dialog.slider.setValue(25)
    assert dialog.said.text() == "25 %: Chin up: weight 0.75"
    click(dialog.go)
    ready(qtbot, demo)
    assert session.take.steps[0].weight == 0.75 and variations.parent_of(session, session.take).name == "Walk, chin up"
