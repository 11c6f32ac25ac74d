"""What of the demo is shown to whoever comes for the first time."""

from __future__ import annotations

from collections.abc import Iterator

from reflexa.demo import FOLDER
from reflexa.formats import read
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps import Context, Given, make, outcome

Shown = tuple[Clip, Rig]


def before_and_after() -> Iterator[tuple[Shown, Shown]]:
    """Three clips of the demo on their rigs, each before and after what is asked for first: the other side, another figure, feet
    out of the ground."""
    deckhand = read(FOLDER / "sources" / "deckhand.glb")
    clips, context = {c.name: c for c in deckhand.clips}, Context()
    for name, step in (
        ("rope haul", make("mirror")),
        ("walk on the spot", make("retarget", rig="keeper")),
        ("rope haul, feet sunk", make("foot-lock")),
    ):
        if step.kind == "retarget":
            context = Context(rigs={"keeper": read(FOLDER / "sources" / "ferrykeeper.glb").rig})
        made = outcome(step, Given(clips[name], deckhand.rig), context)
        yield (clips[name], deckhand.rig), (made.clip, made.rig)
