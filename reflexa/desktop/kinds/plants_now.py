"""The plants of the selected step: as they are written down, or as they were found."""

from __future__ import annotations

from msgspec.structs import replace

from reflexa.desktop.session import Session, line
from reflexa.steps.plants import Plant, PlantsReport, PlantsSettings


def settings_of(session: Session) -> PlantsSettings | None:
    """The selected step's settings, where it holds plants."""
    settings = session.step.settings if session.step is not None else None
    return settings if isinstance(settings, PlantsSettings) else None


def report_of(session: Session) -> PlantsReport | None:
    """What is known of the selected step's plants; None until it is computed."""
    report = session.report
    return report if isinstance(report, PlantsReport) else None


def plants_of(session: Session) -> tuple[Plant, ...]:
    """The plants of the selected step; none while what they are found in is computed."""
    settings, report = settings_of(session), report_of(session)
    if settings is None:
        return ()
    if not settings.find:
        return settings.plants
    return report.plants if report is not None else ()


def edit(session: Session, label: str, plants: tuple[Plant, ...], merge: str = "") -> None:
    """Set the plants by hand: from then on they are no longer found anew."""
    settings = settings_of(session)
    if settings is not None:
        line.edit_settings(session, label, replace(settings, find=False, plants=plants), merge)
