"""The stage: surroundings by which contacts are judged. Props with exact size and place; never exported with a clip."""

from reflexa.stage.model import EMPTY, Carrying, Grip, Prop, PropKey, Stage
from reflexa.stage.surface import Surface, surface_under

__all__ = ["EMPTY", "Carrying", "Grip", "Prop", "PropKey", "Stage", "Surface", "surface_under"]
