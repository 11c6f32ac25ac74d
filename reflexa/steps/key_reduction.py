"""Thin keys: what is exported has keys only where a tolerance needs them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from msgspec import Meta

from reflexa.motion.keying import reduced
from reflexa.steps.model import Context, Given, Outcome, Settings, StepKind


class KeyReductionSettings(Settings, frozen=True):
    degrees: Annotated[
        float,
        Meta(title="Rotation error", ge=0, le=45, description="Largest rotation error allowed, over all joints.",
            extra={"unit": "°"}),
    ] = 0.2  # fmt: skip
    mm: Annotated[
        float,
        Meta(title="Position error", ge=0, le=1000, description="Largest position error allowed, over all joints.",
            extra={"unit": "mm"}),
    ] = 1.0  # fmt: skip


@dataclass(frozen=True)
class KeyReductionReport:
    """How many keys are left of how many, and how far the motion is off at most: degrees and mm."""

    keys: int
    of: int
    degrees: float
    mm: float


def _run(given: Given, settings: KeyReductionSettings, context: Context) -> Outcome:
    done = reduced(given.clip, settings.degrees, settings.mm)
    return given.changed(done.clip, lambda _: KeyReductionReport(done.keys, done.of, done.degrees, done.mm))


KIND = StepKind(
    "key-reduction",
    "Key reduction",
    "Export keys only where they are needed, within a tolerance. Files become smaller.",
    KeyReductionSettings,
    _run,
    place=260,
    group="time",
    weighed=False,
    was=("thin-keys",),
    summary=lambda s: f"within {s.degrees:g}° and {s.mm:g} mm",
)
