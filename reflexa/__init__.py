"""Reflexa: a revision bench for skeletal animation clips."""

__version__ = "0.5.0"
