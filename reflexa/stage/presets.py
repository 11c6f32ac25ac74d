"""Props of the ferry landing, ready to be put down."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.stage.model import Grip, Prop
from reflexa.stage.shapes import corners, part


def meshed(name: str, triangles: Array, grips: tuple[Grip, ...] = (), surface: bool = True) -> Prop:
    """A prop of triangles ``(n, 3, 3)``; its size is that of the box about them."""
    flat = triangles.reshape(-1, 3)
    points, index = np.unique(np.round(flat, 6), axis=0, return_inverse=True)
    low, high = flat.min(axis=0), flat.max(axis=0)
    w, h, d = (max(round(float(v), 6), 1e-3) for v in high - low)
    return Prop(
        name, "mesh", (w, h, d), surface=surface, grips=grips,
        vertices=tuple((float(x), float(y), float(z)) for x, y, z in points + 0.0),
        triangles=tuple((int(a), int(b), int(c)) for a, b, c in index.reshape(-1, 3)),
    )  # fmt: skip


def winch_crank(radius: float = 0.26, wide: float = 0.34) -> Prop:
    """A crank for two hands that goes round an axle along x: axle, arm and handle. It turns about its origin: key its turn
    about x. radius: from axle to handle; wide: of the handle, metres."""
    axle = part(corners(Prop("", "cylinder", (0.05, 0.12, 0.05))), (-0.06, 0.0, 0.0), axis=0)
    arm = part(corners(Prop("", "box", (0.024, radius, 0.05))), (0.0, 0.0, 0.0))
    handle = part(corners(Prop("", "cylinder", (0.036, wide, 0.036))), (-wide / 2, radius, 0.0), axis=0)
    across = round(wide / 3, 4)
    grips = (
        Grip("handle", (0.0, radius, 0.0)), Grip("port", (across, radius, 0.0)), Grip("starboard", (-across, radius, 0.0)),
    )  # fmt: skip
    return meshed("winch crank", np.concatenate([axle, arm, handle]), grips, surface=False)


PRESETS: dict[str, Callable[[], Prop]] = {
    "jetty step": lambda: Prop("jetty step", "box", (1.6, 0.45, 1.0), (0.0, 0.0, 0.8)),
    "crate": lambda: Prop(
        "crate", "box", (0.5, 0.4, 0.4), (0.0, 0.0, 0.5),
        grips=(Grip("port", (0.25, 0.2, 0.0)), Grip("starboard", (-0.25, 0.2, 0.0))),
    ),
    "winch crank": winch_crank,
    "rail": lambda: Prop(
        "rail", "cylinder", (0.05, 2.0, 0.05), (0.0, 0.95, 1.0), (0.0, 0.0, 90.0), surface=False,
        grips=(Grip("middle", (0.0, 1.0, 0.0)),),
    ),
    "slipway": lambda: Prop("slipway", "ramp", (2.0, 0.3, 2.0), (0.0, 0.0, 1.6)),
    "mooring post": lambda: Prop(
        "mooring post", "cylinder", (0.22, 0.7, 0.22), (0.4, 0.0, 0.6), surface=False, grips=(Grip("top", (0.0, 0.7, 0.0)),)
    ),
    "box": lambda: Prop("box", "box", (0.5, 0.5, 0.5), (0.0, 0.0, 0.8)),
    "cylinder": lambda: Prop("cylinder", "cylinder", (0.3, 0.5, 0.3), (0.0, 0.0, 0.8)),
}  # fmt: skip
