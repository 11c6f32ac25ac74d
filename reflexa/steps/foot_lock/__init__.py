"""Contacts: spans in which a foot or hand stays where it is; found, edited by hand, and held."""

from reflexa.motion.contact import Contact
from reflexa.steps.foot_lock.find import contacts_of, found
from reflexa.steps.foot_lock.kind import KIND
from reflexa.steps.foot_lock.report import FootLockReport, Traces, picked_place
from reflexa.steps.foot_lock.settings import LIMBS, FootLockSettings
from reflexa.steps.foot_lock.step import locked

__all__ = [
    "KIND",
    "LIMBS",
    "Contact",
    "FootLockReport",
    "FootLockSettings",
    "Traces",
    "contacts_of",
    "found",
    "locked",
    "picked_place",
]
