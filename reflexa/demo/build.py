"""Builds the demo project that is shipped: ``python -m reflexa.demo.build``. Needs scikit-image for the figure's skin."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import msgspec

from reflexa.demo import (
    FOLDER,
    clips,
    deckhand,
    deckhand_look,
    ferry_clips,
    ferrykeeper,
    ferrykeeper_look,
    ground,
    heron,
    heron_look,
    time_clips,
)  # fmt: skip
from reflexa.demo.stories import STORIES
from reflexa.formats import encode, read
from reflexa.formats.files import write_bytes
from reflexa.motion.clip import Clip
from reflexa.project import store
from reflexa.project.relink import known_by
from reflexa.project.store import Project, SourceFile
from reflexa.rig import analyse
from reflexa.steps import Mask, Step, make, settled
from reflexa.steps.correction import CorrectionSettings, set_key
from reflexa.take import Source, Take


def _correction(name: str, settings: CorrectionSettings, **how: object) -> Step:
    return msgspec.structs.replace(make("correction", name), settings=settings, **how)


def _reaching(step: Step, part: str, edge: int = 0, weight: float = 1.0) -> Step:
    return msgspec.structs.replace(step, mask=Mask(parts=(part,), edge=edge), weight=weight)


def takes(file: str) -> tuple[Take, ...]:
    """Takes that show what the steps are for."""
    haul = Take("Haul, port side", Source(file, "rope haul"), (make("mirror", "Swap sides"),))
    chin = set_key(CorrectionSettings(whole_clip=True), "head", 0, 32, rotate=(-9.0, 0.0, 0.0))
    chin = set_key(chin, "chest", 0, 32, rotate=(-4.0, 0.0, 0.0))
    walk = Take("Walk, chin up", Source(file, "walk"), (_correction("Chin up", chin),))
    lift = set_key(CorrectionSettings(falloff=18), "upper_arm_right", 82, 150, rotate=(0.0, 0.0, -30.0), space="world")
    lift = set_key(lift, "forearm_right", 82, 150, rotate=(16.0, 0.0, 0.0))
    idle = Take(
        "Lantern to the other hand", Source(file, "lantern idle"),
        (_correction("Lift the lantern", lift), make("mirror", "Other hand")),
    )  # fmt: skip
    lean = set_key(CorrectionSettings(falloff=14), "spine_mid", 24, 75, rotate=(10.0, 0.0, 0.0))
    step = Take(
        "Step up, right foot first", Source(file, "step up"),
        (
            make("mirror", "Right foot first"),
            _correction("Lean into it", lean, mask=Mask(parts=("upper body",)), envelope=((0.0, 0.0), (12.0, 1.0))),
        ),
    )  # fmt: skip
    spot = Take("Walk on the spot", Source(file, "walk on the spot"))
    return haul, walk, idle, step, spot


def takes_of_others() -> tuple[Take, ...]:
    """Takes that carry motion from rig to rig, and put right what the others were given on purpose."""
    onto = make("retarget", "Onto the Ferrykeeper", rig=KEEPER)
    return (
        Take("Walk, as the Ferrykeeper", Source(DECKHAND, "walk"), (onto,)),
        Take(
            "Haul to starboard, as the Ferrykeeper", Source(DECKHAND, "rope haul"),
            (make("mirror", "Other side"), make("retarget", "Onto the Ferrykeeper", rig=KEEPER)),
        ),
        Take("Winch, marks put back", Source(KEEPER, "turning the winch"), (make("helper-joints", "Marks back in place"),)),
        Take(
            "Walk with the lantern", Source(DECKHAND, "walk"),
            (_reaching(make("blend", "Lantern arm", clip=f"{DECKHAND}/lantern idle"), "right arm", edge=1),),
        ),
        Take(
            "A heavier haul", Source(DECKHAND, "rope haul"),
            (_reaching(make("blend", "30 % heavier", clip=f"{DECKHAND}/rope haul", mode="add"), "upper body", weight=0.3),),
        ),
        Take("Strut, other leg first", Source(HERON, "strut"), (make("mirror", "Other leg first"),)),
    )  # fmt: skip


DECKHAND, KEEPER, HERON = "deckhand.glb", "ferrykeeper.glb", "heron.glb"


def build(folder: Path = FOLDER) -> None:
    """Write the demo project into ``folder``; raises WriteError where that fails."""
    deck = analyse(deckhand.skeleton(), meshes=deckhand_look.meshes(deckhand.skeleton()))
    keeper = analyse(ferrykeeper.skeleton(), meshes=ferrykeeper_look.meshes(ferrykeeper.skeleton()))
    bird = analyse(heron.skeleton(), meshes=heron_look.meshes(heron.skeleton()))
    for file, rig, made in (
        (DECKHAND, deck, _with_faults(clips.all_clips(deck.skeleton))),
        (KEEPER, keeper, ferry_clips.all_clips(deck, keeper)),
        (HERON, bird, [heron.strut(bird.skeleton), time_clips.calling(heron.strut(bird.skeleton))]),
    ):
        write_bytes(folder / store.SOURCES / file, encode(made, rig, "glb"), overwrite=True)
        document = read(folder / store.SOURCES / file)
        assert not document.warnings and not document.rig.unpaired
    paths = [folder / store.SOURCES / f for f in (DECKHAND, KEEPER, HERON)]
    sources = tuple(known_by(SourceFile(p.name), read(p)) for p in paths)
    keeper_file = read(folder / store.SOURCES / KEEPER)
    winch = next(c for c in keeper_file.clips if c.name == "turning the winch")
    fixed = ground.takes(DECKHAND, KEEPER, HERON, winch, keeper_file.rig)
    all_takes = tuple(
        _numbered(t) for t in (*takes(DECKHAND), *takes_of_others(), *fixed, *time_clips.takes(DECKHAND, HERON))
    )
    store.save(Project("Saltmarsh Ferry", sources, all_takes), folder)


def _with_faults(made: list[Clip]) -> list[Clip]:
    return [*made, *time_clips.delivered({c.name: c for c in made})]


def _numbered(take: Take) -> Take:
    """Steps by their places, so that building anew gives the same files; with its story."""
    steps = settled(tuple(msgspec.structs.replace(s, id="") for s in take.steps))
    return replace(take, steps=steps, note=STORIES[take.name])


if __name__ == "__main__":
    build()
