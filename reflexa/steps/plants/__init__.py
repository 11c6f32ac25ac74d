"""Plants: spans in which a foot or hand stays where it is; found, edited by hand, and held."""

from reflexa.motion.contact import Contact
from reflexa.steps.plants.find import found, plants_of
from reflexa.steps.plants.kind import KIND
from reflexa.steps.plants.report import PlantsReport, Traces, picked_place
from reflexa.steps.plants.settings import LIMBS, PlantsSettings
from reflexa.steps.plants.step import plant

__all__ = [
    "KIND",
    "LIMBS",
    "Contact",
    "PlantsReport",
    "PlantsSettings",
    "Traces",
    "found",
    "picked_place",
    "plant",
    "plants_of",
]
