"""Palette, font and icons. Two themes from the same tokens; text contrast is at least 4.5:1 in both (a test measures)."""

from __future__ import annotations

from dataclasses import dataclass, fields
from importlib.resources import files

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication, QWidget

from reflexa.draw import palette
from reflexa.draw.palette import FAMILY, Palette

# The icon of whatever has none of its own.
PLAIN = "step"
# Pixels by which bars over the picture are rounded.
ROUND = 8


@dataclass(frozen=True)
class Theme(Palette):
    """A palette as Qt takes it."""

    def colour(self, token: str, alpha: int = 255) -> QColor:
        c = QColor(getattr(self, token))
        c.setAlpha(alpha)
        return c


def _theme(p: Palette) -> Theme:
    return Theme(**{f.name: getattr(p, f.name) for f in fields(p)})


DAYLIGHT, NIGHT = _theme(palette.DAYLIGHT), _theme(palette.NIGHT)
THEMES = {t.name: t for t in (DAYLIGHT, NIGHT)}
_current = DAYLIGHT


def current() -> Theme:
    """The theme in use."""
    return _current


def load_font() -> None:
    """Make the shipped font known to Qt."""
    for weight in ("Regular", "SemiBold"):
        QFontDatabase.addApplicationFontFromData(QByteArray(palette.font(weight)))


def strong(font: QFont) -> QFont:
    """A font as it is for names and titles."""
    out = QFont(font)
    out.setWeight(QFont.Weight.DemiBold)
    return out


def apply(app: QApplication, theme: Theme) -> None:
    """Use a theme for the whole application."""
    global _current
    _current = theme
    _icons.clear()
    font = QFont(FAMILY)
    font.setPointSizeF(9.5)
    # Numbers in columns and in running time displays must not dance.
    font.setFeature(QFont.Tag("tnum"), 1)
    if app.font() != font:  # else every widget is styled once more
        app.setFont(font)
    palette = QPalette()
    for role, token in (
        (QPalette.ColorRole.Window, "window"), (QPalette.ColorRole.Base, "field"), (QPalette.ColorRole.Text, "ink"),
        (QPalette.ColorRole.WindowText, "ink"), (QPalette.ColorRole.Button, "card"), (QPalette.ColorRole.ButtonText, "ink"),
        (QPalette.ColorRole.Highlight, "accent"), (QPalette.ColorRole.HighlightedText, "on_accent"),
        (QPalette.ColorRole.ToolTipBase, "ink"), (QPalette.ColorRole.ToolTipText, "card"),
        (QPalette.ColorRole.PlaceholderText, "quiet"), (QPalette.ColorRole.AlternateBase, "panel"),
        (QPalette.ColorRole.Link, "accent"),
    ):  # fmt: skip
        palette.setColor(role, theme.colour(token))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.WindowText, QPalette.ColorRole.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, theme.colour("quiet", 205))
    app.setPalette(palette)
    for window in app.topLevelWidgets():
        if window.styleSheet():
            dress(window)


def dress(window: QWidget) -> None:
    """Give a window, and all that is in it or opened over it, the look of the theme in use. Not the application: a style sheet
    of that dresses every widget by itself, in four times the time."""
    window.setStyleSheet(_sheet(_current))


def _file(name: str) -> str:
    """Where a file of ours lies, as style sheets write it."""
    return str(files("reflexa.desktop.look").joinpath(name)).replace("\\", "/")


def _sheet(t: Theme) -> str:
    return f"""
    * {{ outline: none; }}
    QMainWindow, QDialog {{ background: {t.window}; }}
    QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
    QToolTip {{ background: {t.ink}; color: {t.card}; border: none; padding: 4px 6px; }}
    QWidget#panel {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 8px; }}
    QLabel#heading {{ font-weight: 600; font-size: 11pt; color: {t.ink}; }}
    QLabel#section {{ font-weight: 600; color: {t.quiet}; padding-top: 6px; }}
    QLabel#quiet, QToolButton#quiet {{ color: {t.quiet}; }}
    QLabel#warn, QToolButton#warn {{ color: {t.warn}; font-weight: 600; }}
    QToolButton#warn, QToolButton#quiet {{ padding: 0px 2px; border: none; background: transparent; }}
    QMenuBar {{ background: {t.window}; padding: 2px 4px; }}
    QMenuBar::item {{ padding: 4px 8px; border-radius: 4px; background: transparent; }}
    QMenuBar::item:selected {{ background: {t.soft}; }}
    QMenu {{ background: {t.card}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 28px 5px 12px; border-radius: 4px; color: {t.ink}; }}
    QMenu::item:selected {{ background: {t.soft}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 8px; }}
    QPushButton {{ background: {t.card}; border: 1px solid {t.edge};
        border-radius: 6px; padding: 5px 12px; color: {t.ink}; }}
    QPushButton:hover {{ border-color: {t.accent}; }}
    QPushButton:pressed {{ background: {t.soft}; }}
    QPushButton:focus {{ border: 2px solid {t.accent}; padding: 4px 11px; }}
    QPushButton:disabled {{ color: {t.quiet}; background: {t.panel}; }}
    QPushButton#main {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; font-weight: 600; }}
    QPushButton#main:disabled {{ background: {t.line}; color: {t.ink}; border-color: {t.line}; }}
    QLineEdit:disabled, QSpinBox:disabled, QDoubleSpinBox:disabled, QComboBox:disabled {{ border-color: {t.line};
        color: {t.quiet}; }}
    QToolButton {{ background: transparent; border: 1px solid transparent;
        border-radius: 6px; padding: 3px; color: {t.ink}; }}
    QPushButton#fold {{ text-align: left; padding: 3px 2px; color: {t.quiet}; font-weight: 600; border: 1px solid transparent;
        background: transparent; }}
    QPushButton#fold:hover {{ background: {t.soft}; }}
    QPushButton#fold:focus {{ border: 1px solid {t.accent}; padding: 3px 2px; }}
    QToolButton:hover {{ background: {t.soft}; }}
    QToolButton:checked {{ background: {t.soft}; border-color: {t.accent}; }}
    QToolButton:focus {{ border-color: {t.accent}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QLineEdit, QSpinBox, QDoubleSpinBox, QComboBox {{ background: {t.field};
        border: 1px solid {t.edge}; border-radius: 5px;
        padding: 3px 6px; selection-background-color: {t.accent}; selection-color: {t.on_accent}; color: {t.ink}; }}
    QDoubleSpinBox#narrow, QSpinBox#narrow {{ padding: 3px 3px; }}
    QPushButton#narrow, QPushButton#narrow:focus {{ padding: 4px 2px; }}
    QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus, QComboBox:focus {{ border: 1px solid {t.accent}; }}
    QSpinBox::up-button, QSpinBox::down-button, QDoubleSpinBox::up-button, QDoubleSpinBox::down-button {{ width: 0; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: url("{_file("icons/down.svg")}"); width: 12px; height: 12px; }}
    QComboBox QAbstractItemView {{ background: {t.card}; border: 1px solid {t.line}; color: {t.ink}; }}
    QCheckBox {{ color: {t.ink}; spacing: 6px; }}
    QCheckBox::indicator, QRadioButton::indicator, QAbstractItemView::indicator {{ width: 12px; height: 12px;
        border: 1px solid {t.edge}; border-radius: 3px; background: {t.field}; }}
    QRadioButton::indicator {{ border-radius: 7px; }}
    QRadioButton::indicator:checked {{ border: 4px solid {t.accent}; width: 6px; height: 6px; background: {t.on_accent}; }}
    QCheckBox::indicator:checked, QAbstractItemView::indicator:checked {{ background: {t.accent}; border-color: {t.accent};
        image: url("{_file(f"icons/tick_{'night' if t is NIGHT else 'day'}.svg")}"); }}
    QCheckBox::indicator:disabled, QAbstractItemView::indicator:disabled {{ background: {t.panel}; }}
    QCheckBox::indicator:checked:disabled {{ background: {t.quiet}; }}
    QCheckBox:focus, QRadioButton:focus {{ color: {t.accent}; text-decoration: underline; }}
    QTreeWidget, QListWidget, QTableWidget, QListView {{ background: {t.panel}; border: 1px solid transparent;
        border-radius: 4px; color: {t.ink}; }}
    QTreeWidget:focus, QListWidget:focus, QTableWidget:focus, QListView:focus, QTextBrowser:focus, QPlainTextEdit:focus {{
        border: 1px solid {t.accent}; }}
    QTreeWidget::item, QListWidget::item, QTableWidget::item {{ padding: 2px; }}
    QTreeWidget::item:selected, QListWidget::item:selected, QTableWidget::item:selected {{ background: {t.soft};
        color: {t.ink}; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.quiet};
        border: none; border-bottom: 1px solid {t.line}; padding: 3px 4px; }}
    QTabWidget::pane {{ border: none; }}
    QTabBar {{ background: transparent; }}
    QTabBar::tab {{ padding: 5px 9px; margin-right: 2px; border-radius: 6px;
        color: {t.quiet}; background: transparent; font-weight: 600; }}
    QTabBar::tab:selected {{ background: {t.soft}; color: {t.ink}; }}
    QTabBar::tab:hover {{ color: {t.ink}; }}
    QTabBar::tab:focus {{ border: 1px solid {t.accent}; }}
    QPlainTextEdit#note {{ background: {t.soft}; border: 1px solid transparent; border-radius: 6px; padding: 2px;
        color: {t.ink}; }}
    QPlainTextEdit#note:focus {{ border: 1px solid {t.accent}; background: {t.field}; }}
    QScrollArea {{ background: transparent; border: none; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QScrollBar:vertical {{ width: 10px; background: transparent; margin: 2px; }}
    QScrollBar:horizontal {{ height: 10px; background: transparent; margin: 2px; }}
    QScrollBar::handle {{ background: {t.line}; border-radius: 3px; min-height: 24px; min-width: 24px; }}
    QScrollBar::handle:hover {{ background: {t.quiet}; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none;
        border: none; }}
    QSplitter::handle {{ background: transparent; }}
    QProgressBar {{ background: {t.field}; border: 1px solid {t.line}; border-radius: 5px;
        height: 12px; text-align: center; color: {t.ink}; }}
    QProgressBar::chunk {{ background: {t.accent}; border-radius: 4px; }}
    QSlider::groove:horizontal {{ height: 4px; background: {t.edge}; border-radius: 2px; }}
    QSlider::sub-page:horizontal {{ background: {t.accent}; border-radius: 2px; }}
    QSlider::handle:horizontal {{ background: {t.card}; border: 2px solid {t.accent};
        width: 10px; margin: -5px 0; border-radius: 7px; }}
    QSlider::handle:horizontal:focus {{ background: {t.accent}; }}
    QStatusBar {{ background: {t.window}; color: {t.quiet}; }}
    QFrame#card {{ background: {t.card}; border: 1px solid {t.line}; border-radius: 8px; }}
    QFrame#card[chosen="true"] {{ border: 2px solid {t.accent}; }}
    QFrame#card:focus {{ border: 2px dashed {t.accent}; }}
    QFrame#overlay {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: {ROUND}px; }}
    """


def _drawing(name: str) -> str:
    folder = files("reflexa.desktop.look").joinpath("icons")
    own = folder.joinpath(f"{name}.svg")
    return (own if own.is_file() else folder.joinpath(f"{PLAIN}.svg")).read_text()


_icons: dict[tuple[str, str], QIcon] = {}


def icon(name: str, token: str = "ink") -> QIcon:
    """One of our icons in a colour of the theme; a plain one where there is none of that name."""
    key = (name, token)
    if key not in _icons:
        out = QIcon()
        svg = _drawing(name)
        for mode, colour in (
            (QIcon.Mode.Normal, current().colour(token)),
            (QIcon.Mode.Disabled, current().colour("line")),
        ):
            renderer = QSvgRenderer(QByteArray(svg.replace("#000", colour.name()).encode()))
            for size in (20, 40):
                pixmap = QPixmap(QSize(size, size))
                pixmap.fill(Qt.GlobalColor.transparent)
                painter = QPainter(pixmap)
                renderer.render(painter, QRectF(0, 0, size, size))
                painter.end()
                out.addPixmap(pixmap, mode)
        _icons[key] = out
    return _icons[key]
