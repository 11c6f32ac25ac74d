"""What we know of a skeleton: body map, pairs, mirror plane, facing, helper joints, skin. Finds all of these."""

from reflexa.rig.bodymap import PARTS, PRESETS
from reflexa.rig.mesh import Mesh
from reflexa.rig.pairs import Pair, Plane
from reflexa.rig.rig import Rig, analyse

__all__ = ["PARTS", "PRESETS", "Mesh", "Pair", "Plane", "Rig", "analyse"]
