"""Events: named marks in time, put in by hand, or where feet strike and lift."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Any

import numpy as np
from msgspec import Meta, field

from reflexa.errors import RecipeError
from reflexa.motion import stances
from reflexa.motion.clip import Clip, Event
from reflexa.rig import Rig
from reflexa.stage.footing import footing
from reflexa.steps.model import Beginning, Context, Given, Outcome, Settings, StepKind

STRIKE, LIFT = "strike", "lift"


# An event in the settings: (frame, name), or (frame, name, value) with a number or text.
Written = Annotated[tuple[float | str, ...], Meta(min_length=2, max_length=3)]


def written(event: Event) -> Written:
    """An event as the settings say it."""
    return (event.frame, event.name) if event.value is None else (event.frame, event.name, event.value)


def event_of(said: Written) -> Event:
    """The event that the settings say. Raises ValueError where it is none."""
    frame, name, *value = said
    if isinstance(frame, str) or not isinstance(name, str):
        raise ValueError(f"[{frame!r}, {name!r}] is no event: it takes [frame, name] or [frame, name, value]")
    return Event(float(frame), name, value[0] if value else None)


def from_label(label: str, frame: float) -> Event | None:
    """The event that a person types as ``name`` or ``name = value``; None where there is no name."""
    name, said, value = (part.strip() for part in label.partition("="))
    if not name:
        return None
    try:
        number = float(value)
    except ValueError:
        return Event(frame, name, value if said else None)
    return Event(frame, name, number if np.isfinite(number) else value)


class EventsSettings(Settings, frozen=True):
    events: Annotated[
        tuple[Written, ...],
        Meta(title="Events", description="A list of [frame, name], or [frame, name, value] with a number or text."),
    ] = ()
    keep: Annotated[
        bool, Meta(title="Keep events of the clip",
            description="Keep the events that the clip has. Off: use only the list above.")
    ] = True  # fmt: skip
    rename: Annotated[
        dict[str, str], Meta(title="Names",
            description="Old names and new names. An empty new name removes the events of that name.")
    ] = field(default_factory=dict)  # fmt: skip
    from_contacts: Annotated[
        bool, Meta(title="From contacts",
            description="Add a strike and a lift event where a foot contact begins and ends.")
    ] = False  # fmt: skip

    def __post_init__(self) -> None:
        for said in self.events:
            event_of(said)


@dataclass(frozen=True)
class EventsReport:
    """The events that stand after the step."""

    events: tuple[Event, ...]


def of_feet(clip: Clip, rig: Rig) -> tuple[Event, ...]:
    """``left strike`` where the left foot comes to stand, ``left lift`` at the last frame that it stands; likewise right. What
    begins or ends with the clip is neither; in a loop what runs over its seam is one stance."""
    out = []
    for side, f in footing(clip, rig).items():
        spans = stances.spans(f.stands)
        end = clip.frames - 1
        for a, b in spans:
            goes_over = clip.loop and f.stands[0] and f.stands[end]
            if a > 0 or (clip.loop and not goes_over):
                out.append(Event(float(a), f"{side} {STRIKE}"))
            if b < end or (clip.loop and not goes_over):
                out.append(Event(float(b), f"{side} {LIFT}"))
    if clip.loop:  # whose last frame is its first
        out = [replace(e, frame=e.frame % (clip.frames - 1)) if clip.frames > 1 else e for e in out]
    return tuple(sorted(dict.fromkeys(out), key=lambda e: (e.frame, e.name)))


def with_events(clip: Clip, rig: Rig, s: EventsSettings) -> Clip:
    """The clip with its events as the settings say. Raises RecipeError for one outside the clip, or that has no name."""
    own = [replace(e, name=s.rename.get(e.name, e.name)) for e in clip.events] if s.keep else []
    for i, event in enumerate(map(event_of, s.events)):
        frame, name = event.frame, event.name
        if not name.strip():
            raise RecipeError("an event has no name", place=f"events[{i}]", advice="Give it one.")
        if not (np.isfinite(frame) and 0 <= frame <= clip.frames - 1):
            raise RecipeError(
                f"{name!r} at frame {frame:g} lies outside the clip", place=f"events[{i}]",
                advice=f"Its frames are 0 to {clip.frames - 1}.",
            )  # fmt: skip
        own.append(event)
    if s.from_contacts:
        own += of_feet(clip, rig)
    events = sorted((e for e in dict.fromkeys(own) if e.name), key=lambda e: e.frame)
    return replace(clip, events=tuple(events))


def _run(given: Given, settings: EventsSettings, context: Context) -> Outcome:
    out = with_events(given.clip, given.rig, settings)
    return given.changed(out, lambda now: EventsReport(now.events))


def _begin(at: Beginning) -> dict[str, Any]:
    """All that there are, to be dragged, renamed and removed."""
    if at.given is None:
        return {}
    return {"events": [written(e) for e in at.given.clip.events], "keep": False}


KIND = StepKind(
    "events",
    "Events",
    "Add, move, rename and remove events; or create strike and lift events from foot contacts.",
    EventsSettings,
    _run,
    place=270,
    group="time",
    weighed=False,
    settings_were={"from_plants": "from_contacts"},
    begin=_begin,
    summary=lambda s: (
        ", ".join([f"{len(s.events)} events"] * bool(s.events) + ["from contacts"] * s.from_contacts) or "unchanged"
    ),
)
