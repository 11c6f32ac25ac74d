"""Scene in, picture out. Knows no toolkit: the viewport, previews and pictures for the docs all use it.

The renderer needs OpenGL's packages, which a build server has not: they are imported when it is asked for.
"""

from typing import TYPE_CHECKING, Any

from reflexa.draw.camera import Camera
from reflexa.draw.scene import Figure, Lines, Marks, Scene

if TYPE_CHECKING:
    from reflexa.draw.own_context import OwnContext
    from reflexa.draw.renderer import Renderer

__all__ = ["Camera", "Figure", "Lines", "Marks", "OwnContext", "Renderer", "Scene"]


def __getattr__(name: str) -> Any:
    if name == "OwnContext":
        from reflexa.draw.own_context import OwnContext

        return OwnContext
    if name == "Renderer":
        from reflexa.draw.renderer import Renderer

        return Renderer
    raise AttributeError(name)
