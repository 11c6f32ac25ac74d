"""One OpenGL context for the whole application, whatever Qt draws its windows with."""

from __future__ import annotations

from typing import Any

import moderngl
from PySide6.QtGui import QGuiApplication, QOffscreenSurface, QOpenGLContext, QSurfaceFormat

from reflexa.draw import Renderer


class Drawing:
    """The renderer and its context; made once, at the first picture."""

    def __init__(self) -> None:
        self._surface: QOffscreenSurface | None = None
        self._context: QOpenGLContext | None = None
        self._standalone: Any = None
        if QGuiApplication.platformName() in ("xcb", "wayland"):
            self._from_qt()
        if self._context is None:
            # No display: a context of the graphics library's own.
            egl: Any = {"backend": "egl"}
            self._standalone = moderngl.create_context(standalone=True, require=330, **egl)
            self.renderer = Renderer(self._standalone)

    def _from_qt(self) -> None:
        wanted = QSurfaceFormat()
        wanted.setVersion(3, 3)
        wanted.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
        context = QOpenGLContext()
        context.setFormat(wanted)
        if not context.create():
            return
        surface = QOffscreenSurface()
        surface.setFormat(context.format())
        surface.create()
        if not surface.isValid() or not context.makeCurrent(surface):
            return
        self._surface, self._context = surface, context
        self.renderer = Renderer(moderngl.create_context(require=330))

    def release(self) -> None:
        """Give up the context, and all that lies in it."""
        self.make_current()
        self.renderer.release()
        if self._standalone is not None:
            self._standalone.release()

    def make_current(self) -> None:
        """To be called before any use of the renderer."""
        if self._context is not None and self._surface is not None:
            self._context.makeCurrent(self._surface)


_drawing: Drawing | None = None


def drawing() -> Drawing:
    """The application's drawing, made at the first call; its context is current afterwards."""
    global _drawing
    if _drawing is None:
        _drawing = Drawing()
    _drawing.make_current()
    return _drawing


def forget() -> None:
    """Let go of the context (at the end of the application and of each test)."""
    global _drawing
    if _drawing is not None:
        _drawing.release()
        _drawing = None
