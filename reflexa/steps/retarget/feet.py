"""The soles of both rigs, and when the source's stand."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import stances
from reflexa.motion.arrays import Array
from reflexa.rig.foot_rest import leg_length
from reflexa.rig.match import Match
from reflexa.rig.soles import Sole, soles
from reflexa.stage.footing import floor_under, stands

Bools = NDArray[np.bool_]


def feet(m: Match) -> dict[str, tuple[Sole, Sole]]:
    """Per side that both rigs have, the sole on the source and on the target."""
    a, b = soles(m.source), soles(m.target)
    return {side: (a[side], b[side]) for side in a if side in b}


def when_standing(
    tracks: dict[str, list[Array]], bears: dict[str, list[Bools]], m: Match, rate: float, cuts: Sequence[int] = ()
) -> dict[str, list[Bools]]:
    """Per side, the frames at which heel, ball and tip (as many as there are) stand, from tracks in the target's size; bears:
    when each of the three could, by how the foot is turned; cuts: frames at which another piece begins."""
    if not tracks:
        return {}
    if len(cuts):
        edges = [0, *cuts, len(next(iter(tracks.values()))[0])]
        pieces = [
            when_standing(
                {s: [p[a:b] for p in points] for s, points in tracks.items()},
                {s: [could[a:b] for could in each] for s, each in bears.items()},
                m,
                rate,
            )
            for a, b in zip(edges, edges[1:], strict=False)
        ]
        return {s: [stances.joined(list(a)) for a in zip(*(p[s] for p in pieces), strict=True)] for s in tracks}
    leg = max(leg_length(m.source) * m.stride, 1e-6)
    floor = floor_under([p for points in tracks.values() for p in points[:2]], rate)

    def still(p: Array, could: Bools) -> Bools:
        return stands(np.where(could, p[:, 1] - floor, np.inf), stances.speeds(p, rate), leg, rate)

    return {side: [still(p, c) for p, c in zip(points, bears[side], strict=False)] for side, points in tracks.items()}
