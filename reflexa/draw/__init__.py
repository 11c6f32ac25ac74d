"""Scene in, picture out. Knows no toolkit: the viewport, previews and pictures for the docs all use it."""

from reflexa.draw.camera import Camera
from reflexa.draw.own_context import OwnContext
from reflexa.draw.renderer import Renderer
from reflexa.draw.scene import Figure, Lines, Marks, Scene

__all__ = ["Camera", "Figure", "Lines", "Marks", "OwnContext", "Renderer", "Scene"]
