"""What of the demo is shown to whoever comes for the first time."""

from __future__ import annotations

from reflexa.demo import FOLDER
from reflexa.formats import read
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps import Context, Given, make, outcome

Shown = tuple[Clip, Rig]


def before_and_after() -> list[tuple[Shown, Shown]]:
    """Three clips of the demo on their rigs, each before and after what is asked for first: the other side, another figure, feet
    out of the ground."""
    deckhand, keeper = (read(FOLDER / "sources" / f"{n}.glb") for n in ("deckhand", "ferrykeeper"))
    clips = {c.name: c for c in deckhand.clips}
    context, out = Context(rigs={"keeper": keeper.rig}), []
    for name, step in (
        ("rope haul", make("mirror")),
        ("walk on the spot", make("retarget", rig="keeper")),
        ("rope haul, feet sunk", make("plants")),
    ):
        made = outcome(step, Given(clips[name], deckhand.rig), context)
        out.append(((clips[name], deckhand.rig), (made.clip, made.rig)))
    return out
