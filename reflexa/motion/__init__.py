"""Arrays of motion and the mathematics on them. Knows no rig, no file and no window.

Right-handed, +Y up, metres, seconds, radians; a character faces +Z with its left on +X. Arrays are float64,
``(frames, joints, …)``; quaternions are ``(x, y, z, w)``.
"""
