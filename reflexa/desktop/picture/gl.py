"""One OpenGL context for the whole application, whatever Qt draws its windows with."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

import moderngl
from PySide6.QtGui import QGuiApplication, QOffscreenSurface, QOpenGLContext, QSurfaceFormat

from reflexa.draw import OwnContext, Renderer


@dataclass(frozen=True)
class _QtContext:
    """A context of Qt's, with a surface that is never seen."""

    context: QOpenGLContext
    surface: QOffscreenSurface
    renderer: Renderer

    @contextmanager
    def current(self) -> Iterator[Renderer]:
        self.context.makeCurrent(self.surface)
        yield self.renderer

    def release(self) -> None:
        with self.current() as renderer:
            renderer.release()


def _of_qt() -> _QtContext | None:
    """Qt's context, or none where it has no display or its driver is too old."""
    if QGuiApplication.platformName() not in ("xcb", "wayland"):
        return None
    wanted = QSurfaceFormat()
    wanted.setVersion(3, 3)
    wanted.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    context = QOpenGLContext()
    context.setFormat(wanted)
    if not context.create():
        return None
    surface = QOffscreenSurface()
    surface.setFormat(context.format())
    surface.create()
    if not surface.isValid() or not context.makeCurrent(surface):
        return None
    return _QtContext(context, surface, Renderer(moderngl.create_context(require=330)))


_made: _QtContext | OwnContext | None = None


@contextmanager
def drawing() -> Iterator[Renderer]:
    """The application's renderer, made at the first call, with its context current."""
    global _made
    if _made is None:
        _made = _of_qt() or OwnContext()
    with _made.current() as renderer:
        yield renderer


def forget() -> None:
    """Let go of the context, at the end of the application."""
    global _made
    if _made is not None:
        _made.release()
        _made = None
