"""The View menu: comparing, where it is seen from, what is shown, and the theme."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication, QWidget

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.idle_queue import when_idle
from reflexa.desktop.look import theme
from reflexa.desktop.picture.bars import SWITCHES
from reflexa.desktop.picture.view import COMPARE
from reflexa.draw.camera import STANDARD


def _compare(name: str, d: Desk) -> None:
    d.viewport.set_compare(name)


def _compares(name: str, d: Desk) -> bool:
    return d.viewport.look.compare == name


def _view(name: str, d: Desk) -> None:
    d.viewport.set_view(name)


def _switch(field: str, d: Desk) -> None:
    d.viewport.buttons[field].toggle()


def _is_on(field: str, d: Desk) -> bool:
    return bool(getattr(d.viewport.look, field))


def _swap(d: Desk) -> None:
    d.viewport.set_compare("Before" if d.viewport.look.compare == "After" else "After")


def set_theme(name: str, d: Desk) -> None:
    """Change the look at once and remember it."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    window, picture = d.window, d.viewport
    for still in (window, picture):  # nothing is shown in half of one theme and half of the other
        still.setUpdatesEnabled(False)
    theme.apply(app, theme.THEMES[name])
    QSettings().setValue("theme", name)
    rooms = (picture, d.time, d.line, d.figure, d.settings, d.clip_panel, d.library)
    shown = (partial(still.setUpdatesEnabled, True) for still in (window, picture))
    when_idle(window, (*(room.refresh_icons for room in rooms), *shown))


def _has_theme(name: str, d: Desk) -> bool:
    return theme.current().name == name


_PANELS = (
    ("left", "Panel on the left", "Shift+F9"), ("settings", "Settings panel", "Ctrl+F9"), ("time", "Time area", "Ctrl+Shift+F9"),
)  # fmt: skip


def panel(d: Desk, id_: str) -> QWidget:
    """One of the panels around the picture."""
    left = d.tabs.parentWidget()
    assert left is not None
    return {"left": left, "settings": d.settings, "time": d.time}[id_]


def _toggle_panel(id_: str, d: Desk) -> None:
    hidden = panel(d, id_).isHidden()
    panel(d, id_).setVisible(hidden)
    QSettings().setValue(f"panel {id_}", "shown" if hidden else "hidden")


def _has_panel(id_: str, d: Desk) -> bool:
    return not panel(d, id_).isHidden()


def restore(d: Desk) -> None:
    """Panels, the view on the left, and the way to compare as they were when the window was last closed."""
    settings = QSettings()
    for id_, _, _ in _PANELS:
        panel(d, id_).setVisible(settings.value(f"panel {id_}") != "hidden")
    at = str(settings.value("view on the left") or "")
    d.tabs.setCurrentIndex(int(at) if at.isdigit() else 0)
    if (compare := str(settings.value("compare") or "")) in COMPARE:
        d.viewport.set_compare(compare)


def remember(d: Desk) -> None:
    """Keep them for the next time."""
    QSettings().setValue("view on the left", d.tabs.currentIndex())
    QSettings().setValue("compare", d.viewport.look.compare)


COMMANDS = (
    *(Command(f"compare_{i}", f"Show {name.lower()}", "View/1", partial(_compare, name), f"Ctrl+{i}", needs.take,
              partial(_compares, name)) for i, name in enumerate(COMPARE, 1)),
    Command("swap_before", "Swap before and after", "View/1", _swap, "Ctrl+0", needs.take, also="hold source original flip"),
    Command("frame", "Frame the figure", "View/2", lambda d: d.viewport.frame_figure(), "F5", needs.take),
    *(Command(f"view_{i}", f"{name.capitalize()} view", "View/21/Seen from", partial(_view, name), f"Alt+{i}")
      for i, name in enumerate(STANDARD, 1)),
    *(Command(f"panel_{id_}", title, "View/25/Panels", partial(_toggle_panel, id_), key, checked=partial(_has_panel, id_),
              also="hide show dock") for id_, title, key in _PANELS),
    Command("parallel", "Parallel view", "View/2", lambda d: d.viewport.toggle_parallel(), "Alt+0",
            checked=lambda d: not d.viewport.camera.perspective),
    *(Command(field, title, "View/3", partial(_switch, field), "", checked=partial(_is_on, field))
      for field, (title, _) in SWITCHES.items()),
    *(Command(f"theme_{name}", f"{name} theme", "View/4", partial(set_theme, name), "", checked=partial(_has_theme, name))
      for name in theme.THEMES),
)  # fmt: skip
