"""Drawing without a display, in a context of the graphics library's own."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import moderngl

from reflexa.draw.renderer import Renderer


class OwnContext:
    """A renderer and its context, which any thread may use, one at a time.

    A thread has one current context, and whoever made the last one in a process would be drawn into by all others: it is current
    only where it is asked for, and the one before it again afterwards.
    """

    def __init__(self) -> None:
        backend: Any = {"backend": "egl"}
        self._context = moderngl.create_context(standalone=True, require=330, **backend)
        self._lock = threading.Lock()
        self._renderer = Renderer(self._context)
        # It is current where it was made, and would stay so.
        self._context.__exit__(None, None, None)  # type: ignore[no-untyped-call]

    @contextmanager
    def current(self) -> Iterator[Renderer]:
        """The renderer, for as long as the context is current on this thread."""
        with self._lock, self._context:
            yield self._renderer

    def release(self) -> None:
        """Give up the context, and all that lies in it."""
        with self.current() as renderer:
            renderer.release()
        self._context.release()
