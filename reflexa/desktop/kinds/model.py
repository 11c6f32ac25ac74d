"""What the window adds for a kind of step."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from PySide6.QtWidgets import QWidget

from reflexa.desktop.picture.manipulator import Manipulator
from reflexa.desktop.picture.overlay import Overlay
from reflexa.desktop.picture.posed import PosedFigure
from reflexa.desktop.picture.view import Sight
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.time.time_map import TimeMap
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.session import Session

Ground = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Offer:
    """A way to make takes of clips with the step already in them. title: what to do with ``{}``, which stands for the
    clips; under: a menu of its own for several of a kind. settings, name: of the step. swap_names: the take is called as
    the clip with its sides swapped. fits(rig): can it be done to a clip of that rig?"""

    title: str
    under: str = ""
    settings: Mapping[str, Any] = field(default_factory=dict)
    name: str = ""
    swap_names: bool = False
    fits: Callable[[Rig], bool] = lambda _: True
    shortcut: str = ""


@dataclass(frozen=True, eq=False)
class Moment:
    """The clip and rig that stand after the selected step, and the frame of them that is shown."""

    session: Session
    clip: Clip
    rig: Rig
    frame: int


@dataclass(frozen=True)
class GroundPoints:
    """Points on the ground, x and z in metres, that can be dragged in the picture: what they are now (None: there are none),
    and ``move(session, index, place, snap)``."""

    now: Callable[[Session], Ground | None]
    move: Callable[[Session, int, tuple[float, float], bool], None]


@dataclass(frozen=True)
class StepView:
    """What is not said is as for every kind: a plain icon, the form made from its settings.

    icon: name of its icon; empty: of the kind's own name. panel(session): what stands beside the form, before it where
    ``panel_first``; hidden: settings that the form leaves to it; more: those that fold, being for no every day. overlay(moment,
    sight, hot): drawn in the picture while a step is selected; hot: which of its ground points is under the pointer.
    hold(session, sight, figure): what a hand takes hold of; a text says why it cannot; None leaves it to the kind that
    ``begins_by_hand``. colours(session, rig): of joints ``(joints, 3)``, None: as always. rest(session): what *Show the rest
    pose* shows, None: as always. lanes(session, time): what stands in the place of the key sheet, under ``lanes_title``.
    offers(session): ways to make takes of chosen clips with it, beside ``offer``. shortcut: of adding it. brings: the way to fit
    (of ``library.fits``) in which it brings a clip onto another rig, its setting ``rig``. dropped: the setting that clips come
    into which are dropped between the cards. also: words that others have for it. mask_first: which joints it reaches is
    the first thing that is asked, so weight and mask stand at the top, open.
    acts_on: it is offered first while a joint is selected, or a hand or foot (``end``).
    """

    kind: str
    icon: str = ""
    panel: Callable[[Session], StepPanel] | None = None
    panel_first: bool = False
    hidden: frozenset[str] = field(default_factory=frozenset)
    more: frozenset[str] = field(default_factory=frozenset)
    overlay: Callable[[Moment, Sight, int], Overlay] | None = None
    hold: Callable[[Session, Sight, PosedFigure], Manipulator | str | None] | None = None
    begins_by_hand: bool = False
    ground: GroundPoints | None = None
    colours: Callable[[Session, Rig], Array | None] | None = None
    rest: Callable[[Session], list[PosedFigure] | None] | None = None
    rest_caption: str = "rest pose"
    lanes: Callable[[Session, TimeMap], QWidget] | None = None
    lanes_title: str = "Keys"
    offer: Offer | None = None
    offers: Callable[[Session], list[Offer]] | None = None
    shortcut: str = ""
    brings: str = ""
    dropped: str = ""
    also: str = ""
    mask_first: bool = False
    acts_on: Literal["", "joint", "end"] = ""
