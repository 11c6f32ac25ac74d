"""Damped oscillators, solved in closed form between frames: the same at any frame rate, and never unstable."""

from __future__ import annotations

import numpy as np

from reflexa.motion import kernels
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
    out = np.zeros(leads.shape)
    if len(leads) < 3:
        return out
    dt = 1.0 / rate
    kick = -np.diff(leads.reshape(len(leads), -1), n=2, axis=0) / dt
    kicks = np.concatenate([np.zeros((1, kick.shape[1])), kick])
    still = np.zeros((2, kick.shape[1]))
    kernels.oscillators.swings(np.array(decay(frequency, damping, dt)), still, kicks, out.reshape(len(leads), -1))
    return out


# A loop's spring is damped by at least this ratio: one that is not would swing ever further where the loop pushes in time.
LOOP_DAMPING = 0.01


def settled_lag(leads: Array, rate: float, frequency: float, damping: float, turn: float) -> Array:
    """The same in a loop that has gone on for ever ``(frames, 3)``: what it is at the end is what it was at the start, turned
    as a cycle turns.

    leads ``(frames + 2, 3)``: with the frame before the loop and the one after it. turn: about up in a cycle, radians. The state
    that comes back to itself is solved for, x = M x + b, so that a spring with little damping needs no thousand rounds.
    """
    period = len(leads) - 3
    dt = 1.0 / rate
    terms = np.array(decay(frequency, max(damping, LOOP_DAMPING), dt))
    kicks = -np.diff(leads, n=2, axis=0)[:period] / dt
    out = np.empty((period + 1, 3))
    kernels.oscillators.swings(terms, np.zeros((2, 3)), kicks, out)
    # What a cycle makes of a state, and what it adds. Level things as one complex number, which a turn multiplies.
    step = np.linalg.matrix_power(np.array([[terms[1], -terms[2]], [1.0, 0.0]]), period)
    level = np.linalg.solve(np.exp(1j * turn) * np.eye(2) - step, out[[-1, -2], 2] + 1j * out[[-1, -2], 0])
    height = np.linalg.solve(np.eye(2) - step, out[[-1, -2], 1])
    start = np.stack([level.imag, height, level.real], axis=-1)
    kernels.oscillators.swings(terms, start, kicks, out)
    return out
