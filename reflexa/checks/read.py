"""What the reader of the file noticed: signs of rotations that flip, curves of joints that are not there."""

from __future__ import annotations

from reflexa.checks.model import Check, Finding, Subject


def _run(subject: Subject) -> list[Finding]:
    """One finding per joint whose rotations flip their sign, and per joint whose motion is lost."""
    out = []
    for n in subject.notes:
        if n.clip in ("", subject.clip.name):
            span = (min(n.frame, subject.whole[1]),) * 2 if n.kind == "sign" else subject.whole
            out.append(Finding(n.kind, n.joint, n.text, span, span[0], float(n.size), 0.0, n.unit))
    return out


CHECK = Check(
    "read", "Import",
    "Rotations change their sign in the file (corrected on import), or motion of nodes that are not joints was "
    "ignored.",
    _run, 76, ("sign", "lost"), line=True, of_additive=True,
)  # fmt: skip
