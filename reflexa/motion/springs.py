"""Damped oscillators, solved in closed form between frames: the same at any frame rate, and never unstable."""

from __future__ import annotations

import numpy as np
from scipy.signal import lfilter

from reflexa.motion.arrays import Array


def decay(frequency: float, damping: float, dt: float) -> tuple[float, float, float]:
    """How a free oscillator goes on over ``dt`` seconds: from a velocity of 1, the place it comes to (seconds); trace and
    determinant of its transition matrix. frequency in Hz (undamped), damping as a ratio (1: critical).

    Source: the solution of x'' + 2 ζ ω x' + ω² x = 0 in any textbook on vibrations (for instance Den Hartog, Mechanical
    Vibrations, chapter 2).
    """
    w = 2 * np.pi * frequency
    fade = np.exp(-damping * w * dt)
    if damping < 1 - 1e-9:
        wd = w * np.sqrt(1 - damping**2)
        return float(fade * np.sin(wd * dt) / wd), float(2 * fade * np.cos(wd * dt)), float(fade * fade)
    if damping > 1 + 1e-9:
        wd = w * np.sqrt(damping**2 - 1)
        # As exponentials: sinh and cosh of a large number would overflow before the fading takes them back.
        slow, fast = np.exp((-damping * w + wd) * dt), np.exp((-damping * w - wd) * dt)
        return float((slow - fast) / (2 * wd)), float(slow + fast), float(slow * fast)
    return float(fade * dt), float(2 * fade), float(fade * fade)


def lag(leads: Array, rate: float, frequency: float, damping: float) -> Array:
    """How far a mass on a spring is from the point that leads it ``(frames, …)``, at rest with it at the start.

    leads: the leading point ``(frames, …)``, moving evenly from frame to frame; so between frames the mass swings freely
    about it, and at each frame it takes the change of the leading point's velocity, turned round. An evenly moving lead is
    followed without lag.
    """
    out = np.zeros_like(leads)
    if len(leads) < 3:
        return out
    dt = 1.0 / rate
    a01, trace, determinant = decay(frequency, damping, dt)
    kick = -np.diff(leads, n=2, axis=0) / dt
    out[2:] = lfilter([a01], [1.0, -trace, determinant], kick, axis=0)
    return out


def cycles_to_settle(frequency: float, damping: float, seconds: float, within: float = 1e-5) -> int:
    """How many rounds of a loop of that length it takes until what the first round began with has died away."""
    w = 2 * np.pi * frequency
    slowest = w * damping if damping <= 1 else w * (damping - np.sqrt(damping**2 - 1))
    return int(np.clip(np.ceil(-np.log(within) / max(slowest * seconds, 1e-9)), 1, 64)) + 1
