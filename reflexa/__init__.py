"""Reflexa: a revision bench for skeletal animation clips."""

__version__ = "0.7.0.dev0"
