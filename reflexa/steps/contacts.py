"""Contacts as a step: which there are is said once, and everything behind it keeps to that."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

from msgspec import Meta
from msgspec.structs import replace as with_fields

from reflexa.contacts.find import of_clip
from reflexa.errors import RecipeError
from reflexa.motion.contact import Contact, all_moved, in_order
from reflexa.steps.model import Context, Given, Outcome, Settings, StepKind


class ContactsSettings(Settings, frozen=True):
    find: Annotated[
        bool, Meta(title="Detect automatically",
            description="Detect contacts automatically. Off: use only the list below.")
    ] = True  # fmt: skip
    contacts: Annotated[
        tuple[Contact, ...],
        Meta(
            title="Contacts",
            description="Which part touches (foot, hand, knee, seat), its first and last frame, and what it "
            "touches: the ground, a prop, or another part of the body.",
        ),
    ] = ()


@dataclass(frozen=True)
class ContactsReport:
    """The contacts that hold from this step on."""

    contacts: tuple[Contact, ...]


def _run(given: Given, settings: ContactsSettings, context: Context) -> Outcome:
    clip = given.clip
    for i, c in enumerate(settings.contacts):
        if c.first >= clip.frames:
            raise RecipeError(
                f"the contact of the {c.name} begins at frame {c.first}, after the end of the clip", place=f"contacts[{i}]",
                advice=f"Its frames are 0 to {clip.frames - 1}.",
            )  # fmt: skip
    there = of_clip(clip, given.rig, context.stage) if settings.find else in_order(settings.contacts)
    # What is found may be found anew behind; what is said holds.
    out = clip if settings.find else replace(clip, contacts=there)
    return given.changed(out, lambda now: ContactsReport(there))


KIND = StepKind(
    "contacts",
    "Contacts",
    "Set which parts touch what, and when. Retargeting, foot lock, loops, crossfades, events and findings all "
    "use these contacts.",
    ContactsSettings,
    _run,
    place=85,
    group="ground",
    weighed=False,
    shifted=lambda s, by: with_fields(s, contacts=all_moved(s.contacts, by)),
    reads=lambda settings, context: [context.stage.digest],
    summary=lambda s: "detected" if s.find else f"{len(s.contacts)} contacts",
)
