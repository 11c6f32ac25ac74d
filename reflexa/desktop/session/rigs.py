"""What a person says of the rigs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from reflexa.formats.rigfile import RigDocument
from reflexa.rig import Rig
from reflexa.rig import notes as rig_edits
from reflexa.rig.notes import Notes, notes_of


class Rigs:
    """Part of the session: what a person says of the rigs."""

    def edit_rig(self, label: str, rig: Rig, notes: Notes, merge: str = "") -> None:
        """Say something of a rig: it holds for every source of that rig, undoes, and is saved with the project."""
        old = self.project.rig_document(rig.key)
        document = self.document_of(rig)
        name = old.name if old is not None else Path(document.path).stem if document is not None else rig.key
        said = RigDocument(name, rig.key, notes, old.unknown if old is not None else {})
        self.edit(label, self.project.with_rig(said), merge=merge)

    def _edit_notes(self, label: str, change: Callable[[Notes], Notes]) -> None:
        rig = self.rig
        if rig is not None and self.joint in rig.skeleton.index:
            self.edit_rig(label, rig, change(notes_of(rig)))

    def start_pairing(self, joint: str) -> None:
        """The next joint that is picked becomes the partner of this one; an empty text calls it off."""
        self.pairing = joint
        if joint:
            self.said.emit(f"Pick the partner of {joint} in the picture or in the list. Esc calls it off.")
        self.selection_changed.emit()

    def pair(self, a: str, b: str) -> None:
        """Make two joints partners; which is the left one, its place in rest tells."""
        rig = self.rig
        if rig is None or a == b or not {a, b} <= set(rig.skeleton.index):
            return
        placed = rig.neutral.rest_model[1]
        i, j = rig.skeleton.index[a], rig.skeleton.index[b]
        left, right = (a, b) if (placed[i] - placed[j]) @ rig.plane.normal >= 0 else (b, a)
        self.edit_rig(f"pair {left} and {right}", rig, rig_edits.pair(notes_of(rig), left, right))

    def unpair(self) -> None:
        """Take the selected joint out of its pair, or off the centre line."""
        self._edit_notes(f"unpair {self.joint}", lambda n: rig_edits.unpair(n, self.joint))

    def mark_centre(self) -> None:
        """Put the selected joint on the centre line."""
        self._edit_notes(f"{self.joint} on the centre line", lambda n: rig_edits.mark_centre(n, self.joint))

    def take_reference(self, on: bool) -> None:
        """Take the frame at the playhead for the neutral pose of the rig shown, or go back to its rest pose."""
        rig, clip = self.rig, self.shown
        if rig is not None and clip is not None:
            frame = min(self.frame, clip.frames - 1)
            notes = rig_edits.take_reference(notes_of(rig), clip if on else None, frame)
            self.edit_rig("take this frame for neutral" if on else "take the rest pose for neutral", rig, notes)

    def forget_rig(self, rig: Rig) -> None:
        """Back to what was found: everything said of the rig is taken away."""
        self.edit("take the rig as found", self.project.without_rig(rig.key))
