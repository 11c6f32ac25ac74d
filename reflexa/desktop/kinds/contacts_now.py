"""The contacts of the selected step: as they are listed, or as they were detected."""

from __future__ import annotations

from msgspec.structs import replace

from reflexa.motion.contact import Contact
from reflexa.session import Session, line
from reflexa.steps.contacts import ContactsReport, ContactsSettings
from reflexa.steps.foot_lock import FootLockReport, FootLockSettings


def settings_of(session: Session) -> FootLockSettings | None:
    """The selected step's settings, where it holds contacts still."""
    settings = session.step.settings if session.step is not None else None
    return settings if isinstance(settings, FootLockSettings) else None


def report_of(session: Session) -> FootLockReport | None:
    """What is known of the contacts that the selected step holds; None until it is computed."""
    report = session.computed.report
    return report if isinstance(report, FootLockReport) else None


def contacts_of(session: Session) -> tuple[Contact, ...]:
    """The contacts of the selected step; none while what they are detected in is computed."""
    settings = session.step.settings if session.step is not None else None
    if isinstance(settings, ContactsSettings) and not settings.find:
        return settings.contacts
    if isinstance(settings, FootLockSettings) and not settings.find:
        return settings.contacts
    report = session.computed.report
    if isinstance(report, ContactsReport):
        return report.contacts
    return report.contacts if isinstance(report, FootLockReport) else ()


def edit(session: Session, label: str, contacts: tuple[Contact, ...], merge: str = "") -> None:
    """Set the contacts by hand: from then on they are no longer detected."""
    settings = session.step.settings if session.step is not None else None
    if isinstance(settings, FootLockSettings | ContactsSettings):
        line.edit_settings(session, label, replace(settings, find=False, contacts=contacts), merge)
