"""The contacts of the selected step: as they are listed, or as they were detected."""

from __future__ import annotations

from msgspec.structs import replace

from reflexa.motion.contact import Contact
from reflexa.session import Session, line
from reflexa.steps.contacts import ContactsReport, ContactsSettings
from reflexa.steps.plants import PlantsReport, PlantsSettings


def settings_of(session: Session) -> PlantsSettings | None:
    """The selected step's settings, where it holds contacts still."""
    settings = session.step.settings if session.step is not None else None
    return settings if isinstance(settings, PlantsSettings) else None


def report_of(session: Session) -> PlantsReport | None:
    """What is known of the contacts that the selected step holds; None until it is computed."""
    report = session.computed.report
    return report if isinstance(report, PlantsReport) else None


def plants_of(session: Session) -> tuple[Contact, ...]:
    """The contacts of the selected step; none while what they are detected in is computed."""
    settings = session.step.settings if session.step is not None else None
    if isinstance(settings, ContactsSettings) and not settings.find:
        return settings.contacts
    if isinstance(settings, PlantsSettings) and not settings.find:
        return settings.plants
    report = session.computed.report
    if isinstance(report, ContactsReport):
        return report.contacts
    return report.plants if isinstance(report, PlantsReport) else ()


def edit(session: Session, label: str, plants: tuple[Contact, ...], merge: str = "") -> None:
    """Set the contacts by hand: from then on they are no longer detected."""
    settings = session.step.settings if session.step is not None else None
    if isinstance(settings, PlantsSettings):
        line.edit_settings(session, label, replace(settings, find=False, plants=plants), merge)
    elif isinstance(settings, ContactsSettings):
        line.edit_settings(session, label, replace(settings, find=False, contacts=plants), merge)
