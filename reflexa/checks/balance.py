"""Out of balance: a body that is nearly still, and whose weight lies beside what it stands on."""

from __future__ import annotations

import msgspec
import numpy as np

from reflexa.checks.model import STOOD, Check, Finding, Limit, Repair, Subject
from reflexa.motion import stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig.masses import centre_of_mass
from reflexa.rig.soles import soles, under_tracks
from reflexa.steps.correction import CorrectionSettings
from reflexa.steps.correction.settings import Key, Track

BESIDE = Limit(
    "balance",
    6.0,
    "cm",
    "Captured people who stand still stay within 3 cm (measured).",
)
# The body is nearly still while its centre moves by less than this, m/s; for so long at least, seconds.
_STILL, _LONG = 0.08, 0.4


def _back(point: Array, corners: Array) -> Array:
    """The way ``(2,)`` from a point on the ground to the nearest of the convex hull of some ``(n, 2)``, metres; 0 inside."""
    from scipy.spatial import ConvexHull, QhullError

    try:
        hull = ConvexHull(corners)
    except QhullError:  # all on one line
        return np.asarray(corners[int(np.linalg.norm(corners - point, axis=1).argmin())] - point)
    if (hull.equations[:, :2] @ point + hull.equations[:, 2]).max() <= 0:
        return np.zeros(2)
    a = corners[hull.vertices]
    way = np.roll(a, -1, axis=0) - a
    share = np.clip(np.sum((point - a) * way, axis=1) / np.maximum(np.sum(way * way, axis=1), 1e-12), 0, 1)
    back = a + share[:, None] * way - point
    return np.asarray(back[int(np.linalg.norm(back, axis=1).argmin())])


# The body leans this far beyond the edge of what bears, metres; its centre goes along with the pelvis by this share, since legs
# go half-way (legs are 0.32 of the body by Winter's table). It leans and comes back over so long, seconds.
_INSIDE, _ALONG, _LEANS = 0.01, 0.84, 0.3


def _lean(clip: Clip, pelvis: str, frames: tuple[int, int], back: Array) -> Repair:
    """The pelvis is moved over the feet, which stay."""
    far = float(np.linalg.norm(back))
    x, z = (back / far * (far + _INSIDE) / _ALONG).round(4).tolist()
    lead = max(2, round(_LEANS * clip.rate))
    first, last = frames
    keys = [Key(f, move=(x, 0.0, z)) for f in sorted({first, last})]
    before, after = (Key(max(first - lead, 0)),), (Key(min(last + lead, clip.frames - 1)),)
    keys = [*(before if first > 0 else ()), *keys, *(after if last < clip.frames - 1 else ())]
    track = Track(pelvis, tuple(keys), "world", "body", ("feet",))
    return Repair("Lean over the feet", "correction", msgspec.to_builtins(CorrectionSettings(tracks=(track,))))


def _run(subject: Subject) -> list[Finding]:
    """One finding per stretch of time in which a body stands still beside its feet."""
    clip, rig, limit = subject.clip, subject.rig, subject.limit(BESIDE)
    centre = centre_of_mass(clip, rig)
    if centre is None or clip.frames < 3 or not subject.feet:
        return []
    still = stances.speeds(centre, clip.rate) < _STILL
    upright = clip.model[1][:, rig.joint("pelvis"), 1] > 0.6 * np.median(clip.model[1][:, rig.joint("pelvis"), 1])
    if not (still & upright).any():
        return []
    stands = {s.side: s.foot.stands for s in subject.stands(STOOD, on_spot=False)}
    bears = np.any([*stands.values(), np.zeros(clip.frames, dtype=bool)], axis=0)
    joint, out = rig.skeleton.names[rig.joint("pelvis")], []
    corners = {side: under_tracks(clip, sole) for side, sole in soles(rig).items()}
    for a, b in stances.spans(still & bears & upright):
        if b - a + 1 < _LONG * clip.rate:
            continue
        # Every tenth of a second is enough: it hardly moves.
        frames = range(a, b + 1, max(1, round(0.1 * clip.rate)))
        away = []
        for f in frames:
            under = [
                p[f, [0, 2]] for side, points in corners.items() if side in stands and stands[side][f] for p in points
            ]
            away.append(_back(centre[f, [0, 2]], np.array(under)))
        far = 100 * np.linalg.norm(away, axis=1)
        if far.min() > limit:
            at = int(np.argmax(far))
            worst = frames[at]
            text = (
                f"the body stands still with its centre of mass {far[at]:.0f} cm outside its feet: it would fall over"
            )
            repair = _lean(clip, joint, (a, b), away[at])
            out.append(Finding("balance", joint, text, (a, b), worst, float(far[at]), limit, "cm", repair))
    return out


CHECK = Check(
    "balance",
    "Balance",
    "The body stands still while its centre of mass lies outside its feet.",
    _run,
    96,
    limits=(BESIDE,),
    whole=True,
    fine="the body keeps its balance",
)
