"""Plants: spans in which a foot or hand stays where it is; found, edited by hand, and held."""

from reflexa.steps.plants.find import found, plants_of
from reflexa.steps.plants.settings import LIMBS, Plant, PlantsSettings
from reflexa.steps.plants.step import PLANTS, plant

__all__ = ["LIMBS", "PLANTS", "Plant", "PlantsSettings", "found", "plant", "plants_of"]
