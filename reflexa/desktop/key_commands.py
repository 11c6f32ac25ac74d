"""Commands on keys and layers: what the Edit and Take menus do with what is selected in the time area."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import msgspec
from PySide6.QtWidgets import QInputDialog, QMessageBox, QWidget

from reflexa.desktop.commands import Command, Registry
from reflexa.desktop.session import Session
from reflexa.motion import contacts
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.match import rename_map
from reflexa.stage.footing import planted_spans
from reflexa.steps import keys as work
from reflexa.steps import make
from reflexa.steps.correction import CorrectionSettings, move_keys
from reflexa.steps.keys import Copied, Merged
from reflexa.take import model as takes

# What a merge may be off by at any frame, unless a key on every frame is asked for.
MERGE_DEGREES, MERGE_MM = 0.5, 1.0


@dataclass(frozen=True)
class _Clipboard:
    keys: Copied
    rig: Rig


class KeyCommands:
    """Adds its commands to the registry; everything it does is one edit of the session."""

    def __init__(self, session: Session, parent: QWidget, commands: Registry) -> None:
        self.session, self.parent = session, parent
        self.clipboard: _Clipboard | None = None
        self._add(commands)

    def _add(self, commands: Registry) -> None:
        s = self.session

        def no_keys() -> str:
            return "" if s.keys else "select keys in the time area first"

        def no_correction() -> str:
            return "" if s.correction is not None else "select a correction on the revision line first"

        def nothing_copied() -> str:
            return "" if self.clipboard is not None and s.take is not None else "no keys were copied yet"

        def no_joint_with_keys() -> str:
            keyed = s.correction is not None and s.correction.track(s.joint).keys
            return no_correction() or ("" if keyed else "select a joint that has keys first")

        def no_layer_below() -> str:
            below = s.take.steps[s.card - 1] if s.take and s.card > 0 else None
            good = (
                s.correction is not None
                and below is not None
                and below.kind == "correction"
                and s.evaluation is not None
            )
            return "" if good else "select a correction that stands behind another one"

        def no_change() -> str:
            """Why the selected step cannot be put as keys."""
            settled, card = s.settled, s.card
            if s.step is None or settled is None or card + 1 >= len(settled.clips):
                return "select a step on the revision line first"
            before, after = settled.clips[card], settled.clips[card + 1]
            same = before.frames == after.frames and before.skeleton.names == after.skeleton.names
            return "" if same else "the step takes the clip to another rig or length"

        def no_motion() -> str:
            return "" if self._stage() >= 0 else "select a joint of the figure first"

        def add(
            id_: str, title: str, menu: str, run: Callable[[], object], shortcut: str, why: Callable[[], str]
        ) -> None:
            commands.add(Command(id_, title, menu, run, shortcut, why, None))

        add("copy_keys", "Copy keys", "Edit/3", self.copy, "Ctrl+C", no_keys)
        add("paste_keys", "Paste keys at the playhead", "Edit/3", self.paste, "Ctrl+V", nothing_copied)
        add(
            "paste_mirrored",
            "Paste keys mirrored",
            "Edit/3",
            lambda: self.paste(mirrored=True),
            "Ctrl+Shift+V",
            nothing_copied,
        )
        add(
            "paste_in_place",
            "Paste keys on their own frames",
            "Edit/3",
            lambda: self.paste(in_place=True),
            "",
            nothing_copied,
        )
        add("mirror_keys", "Same keys on the other side", "Keys/2", self.mirror, "Ctrl+Alt+M", no_keys)
        add("select_keys", "Select all keys", "Keys/1", lambda: self.select(0), "Ctrl+A", no_correction)
        add(
            "select_after",
            "Select keys from the playhead on",
            "Keys/1",
            lambda: self.select(s.frame),
            "Ctrl+Shift+A",
            no_correction,
        )
        add("select_column", "Select keys at the playhead", "Keys/1", self.select_column, "", no_correction)
        add("select_nth", "Select every nth of the selected keys…", "Keys/1", self.ask_nth, "", no_keys)
        add("nudge_later", "Keys one frame later", "Keys/2", lambda: self.nudge(1), "Alt+Right", no_keys)
        add("nudge_earlier", "Keys one frame earlier", "Keys/2", lambda: self.nudge(-1), "Alt+Left", no_keys)
        add("scale_keys", "Scale keys about the playhead…", "Keys/2", self.ask_scale, "", no_keys)
        add("stretch_keys", "Stretch keys to a length…", "Keys/2", self.ask_stretch, "", no_keys)
        add("repeat_keys", "Same keys at other frames…", "Keys/2", self.ask_repeat, "", no_keys)
        add("begin_after", "Begin correcting after this frame", "Keys/3", self.begin_after, "", no_correction)
        add("hold_until", "Hold this correction until…", "Keys/3", self.ask_hold, "", no_correction)
        add("thin_keys", "Thin the keys…", "Keys/2", self.ask_thin, "", no_correction)
        for name, shares in work.EASES.items():
            add(f"ease_{name.lower().replace(' ', '_')}", f"Ease: {name.lower()}", "Keys/4",
                lambda n=name, s=shares: self.ease(n, *s), "", no_keys)  # fmt: skip
        add("flatten_keys", "Flatten: as the first selected", "Keys/4", self.flatten, "", no_keys)
        add("rescale_layer", "Stretch the whole layer to a length…", "Take/5", self.ask_rescale, "", no_correction)
        add("split_layer", "Selected joint into a layer of its own", "Take/5", self.split, "", no_joint_with_keys)
        add("extract", "Motion of the selected joint into a layer of its own", "Take/5", self.extract, "", no_motion)
        add("extract_below", "Motion from the selected joint down into a layer", "Take/5", lambda: self.extract(True), "",
            no_motion)  # fmt: skip
        add("turn_into_layer", "Turn the step into a layer…", "Take/5", self.ask_turn_into_layer, "", no_change)
        add("merge_down", "Merge onto the layer below…", "Take/5", self.ask_merge, "Ctrl+Shift+D", no_layer_below)

    # Keys -------------------------------------------------------------------------------------------------

    def _edit(self, label: str, new: CorrectionSettings, chosen: set[tuple[str, int]] | None = None) -> None:
        self.session.edit_correction(label, new)
        known = work.all_keys(new)
        self.session.select_keys((self.session.keys if chosen is None else chosen) & known)

    def copy(self) -> None:
        session = self.session
        if session.correction is not None and session.step_rig is not None:
            self.clipboard = _Clipboard(work.copy_keys(session.correction, session.keys), session.step_rig)
            session.said.emit(f"{len(session.keys)} keys copied.")

    def paste(self, mirrored: bool = False, in_place: bool = False) -> None:
        """Into the selected correction; a new one where none is selected. Joints meet by name, or by a rename map."""
        session, board = self.session, self.clipboard
        if board is None:
            return
        if session.correction is None:
            session.add_step("correction", "Pasted keys")
        rig, settings = session.step_rig, session.correction
        if rig is None or settings is None:
            return
        names = rename_map(board.rig, rig) if board.rig.key != rig.key else None
        at = None if in_place else session.frame
        new, gone = work.paste_keys(settings, board.keys, rig, session.frames - 1, at, mirrored, names)
        before = work.all_keys(settings)
        self._edit("paste keys" + (" mirrored" if mirrored else ""), new, work.all_keys(new) - before)
        by = 0 if at is None else at - board.keys.first
        outside = sum(not 0 <= k.frame + by < session.frames for t in board.keys.tracks for k in t.keys)
        said = [f"This rig has no joint {', '.join(gone[:6])}: their keys were left out."] if gone else []
        if outside:
            said.append(
                f"{outside} keys were left out: they would lie beyond the clip's last frame, {session.frames - 1}."
            )
        if said:
            session.said.emit(" ".join(said))

    def mirror(self) -> None:
        session = self.session
        rig, settings = session.step_rig, session.correction
        if rig is not None and settings is not None:
            copied = work.copy_keys(settings, session.keys)
            new, _ = work.paste_keys(settings, copied, rig, session.frames - 1, None, mirrored=True)
            self._edit("the same on the other side", new)

    def select(self, first: int) -> None:
        settings = self.session.correction
        if settings is not None:
            self.session.select_keys({k for k in work.all_keys(settings) if k[1] >= first})

    def select_column(self) -> None:
        settings = self.session.correction
        if settings is not None:
            self.session.select_keys({k for k in work.all_keys(settings) if k[1] == self.session.frame})

    def ask_nth(self) -> None:
        n, good = QInputDialog.getInt(
            self.parent, "Select every nth key", "Of each joint's selected keys, keep one of every", 2, 2, 1000
        )
        if good:
            self.select_nth(n)

    def select_nth(self, n: int) -> None:
        settings = self.session.correction
        if settings is not None:
            self.session.select_keys(work.every_nth(settings, self.session.keys, n))

    def ease(self, name: str, begin: float, end: float) -> None:
        """The spans that begin with the selected keys."""
        if self.session.correction is not None:
            self._edit(f"ease: {name.lower()}", work.ease(self.session.correction, self.session.keys, begin, end))

    def flatten(self) -> None:
        if self.session.correction is not None:
            self._edit("flatten keys", work.flatten(self.session.correction, self.session.keys))

    def nudge(self, by: int) -> None:
        session = self.session
        settings = session.correction
        if settings is not None and session.keys:
            last = session.frames - 1
            by = max(-min(f for _, f in session.keys), min(by, last - max(f for _, f in session.keys)))
            moved = {(j, f + by) for j, f in session.keys}
            session.edit_correction("move keys", move_keys(settings, session.keys, by, last), merge="nudge")
            session.select_keys(moved)

    def ask_scale(self) -> None:
        percent, good = QInputDialog.getDouble(
            self.parent, "Scale keys", "Distance from the playhead, in per cent of what it is", 100.0, 1.0, 1000.0, 1
        )
        if good:
            self.scale(percent / 100)

    def scale(self, factor: float) -> None:
        session = self.session
        if session.correction is not None:
            new = work.scale_keys(session.correction, session.keys, session.frame, factor, session.frames - 1)
            self._edit("scale keys", new, work.all_keys(new))

    def ask_stretch(self) -> None:
        at = sorted(f for _, f in self.session.keys)
        length = at[-1] - at[0]
        frames, good = QInputDialog.getInt(
            self.parent, "Stretch keys", f"Frames from the first to the last (now {length})", max(length, 1), 1, 100_000
        )
        if good:
            self.stretch(frames)

    def stretch(self, frames: int) -> None:
        self._stretch("stretch keys", self.session.keys, frames)

    def _stretch(self, label: str, keys: set[tuple[str, int]], frames: int) -> None:
        session = self.session
        if session.correction is not None:
            new = work.stretch_keys(session.correction, keys, frames, session.frames - 1)
            self._edit(label, new, work.all_keys(new))

    def ask_rescale(self) -> None:
        settings = self.session.correction
        at = sorted(f for _, f in work.all_keys(settings)) if settings is not None else []
        if not at or at[0] == at[-1]:
            self.session.said.emit("This layer has no two keys on different frames: there is nothing to stretch.")
            return
        frames, good = QInputDialog.getInt(
            self.parent, "Stretch the whole layer", f"Its keys go from frame {at[0]} to {at[-1]}: {at[-1] - at[0]} frames. "
            "New length in frames", at[-1] - at[0], 1, 100_000,
        )  # fmt: skip
        if good:
            self.rescale(frames)

    def rescale(self, frames: int) -> None:
        """Every key of the layer, spread so that from the first to the last there are so many frames."""
        if self.session.correction is not None:
            self._stretch("stretch the layer", work.all_keys(self.session.correction), frames)

    def ask_repeat(self) -> None:
        text, good = QInputDialog.getText(
            self.parent,
            "Same keys at other frames",
            "Frames (the footfalls of this clip are filled in)",
            text=self.footfalls(),
        )
        if good:
            self.repeat([int(w) for w in text.replace(",", " ").split() if w.isdigit()])

    def footfalls(self) -> str:
        """Frames at which a foot comes down in the clip that the step works on, as text."""
        session = self.session
        evaluation = session.settled
        if evaluation is None or session.card < 0:
            return ""
        at = session.stage_of(session.card) - 1
        falls = {
            a
            for m in planted_spans(evaluation.clips[at], evaluation.rigs[at]).values()
            for a, _ in contacts.spans(m)
            if a > 0
        }
        return ", ".join(str(f) for f in sorted(falls))

    def repeat(self, frames: list[int]) -> None:
        session = self.session
        if session.correction is not None:
            self._edit(
                "same keys at other frames",
                work.repeat_at(session.correction, session.keys, frames, session.frames - 1),
            )

    def _joints(self) -> list[str]:
        """The joints that a command means: of the selected keys, else the selected joint, else all that have keys."""
        session = self.session
        settings = session.correction
        if settings is None:
            return []
        if session.keys:
            return sorted({j for j, _ in session.keys})
        return [session.joint] if settings.track(session.joint).keys else [t.joint for t in settings.tracks]

    def begin_after(self) -> None:
        """Nothing is corrected up to the playhead."""
        session = self.session
        if session.correction is not None:
            new = work.begin_after(session.correction, self._joints(), session.frame)
            self._edit("begin correcting after this frame", new)

    def ask_hold(self) -> None:
        session = self.session
        last = session.frames - 1
        until, good = QInputDialog.getInt(
            self.parent, "Hold this correction", f"From frame {session.frame} until frame", last, session.frame, last
        )
        if good:
            self.hold(until)

    def hold(self, until: int) -> None:
        session = self.session
        if session.correction is not None:
            new = work.hold_until(session.correction, self._joints(), session.frame, until, session.frames - 1)
            self._edit(f"hold until frame {until}", new)

    def ask_thin(self) -> None:
        degrees, good = QInputDialog.getDouble(
            self.parent,
            "Thin the keys",
            "The curves may be off by at most (degrees; moves by as many mm)",
            0.5,
            0.01,
            45.0,
            2,
        )
        if good:
            self.thin(degrees)

    def thin(self, degrees: float) -> None:
        session, settings = self.session, self.session.correction
        if settings is None:
            return

        def done(new: CorrectionSettings) -> None:
            if session.correction is settings:  # and nothing else was done meanwhile
                self._edit("thin keys", new)
                session.said.emit(f"{len(work.all_keys(new))} keys are left of {len(work.all_keys(settings))}.")

        session.compute(lambda: work.thin_keys(settings, degrees, degrees), done)

    # Layers -----------------------------------------------------------------------------------------------

    def split(self) -> None:
        """The selected joint's keys into a correction of their own, behind this one: together they do what it did."""
        session = self.session
        take, step, settings = session.take, session.step, session.correction
        if take is None or step is None or settings is None:
            return
        rest, own = work.split_off(settings, {session.joint})
        layer = msgspec.structs.replace(step, name=f"{step.name}: {session.joint}", settings=own)
        kept = takes.with_step(take, session.card, msgspec.structs.replace(step, settings=rest))
        session.edit_take(f"{session.joint} into a layer of its own", takes.insert_step(kept, session.card + 1, layer))

    def extract(self, below: bool = False) -> None:
        """The motion that the selected joint (and all below it) has after the selected card: held still, and added again."""
        session = self.session
        stage = self._stage()
        take, evaluation = session.take, session.settled
        if take is None or evaluation is None or stage < 0:
            return
        clip = evaluation.clips[stage]
        j = clip.skeleton.index[session.joint]
        joints = [clip.skeleton.names[k] for k in (clip.skeleton.below(j) if below else [j])]
        joint, rig = session.joint, evaluation.rigs[stage]

        def done(layers: tuple[CorrectionSettings, CorrectionSettings]) -> None:
            if session.take != take:
                return  # something else was done meanwhile
            new = take
            for i, (name, settings) in enumerate(zip(("Hold", "Motion of"), layers, strict=True)):
                layer = msgspec.structs.replace(make("correction", f"{name} {joint}"), settings=settings)
                new = takes.insert_step(new, stage + i, layer)
            session.card = stage + 1
            session.edit_take(f"motion of {joint} into a layer", new)
            session.selection_changed.emit()
            session.said.emit(
                f"{len(joints)} joints are held by one layer and moved by the next: change or weaken that one."
            )

        session.compute(lambda: work.extracted(clip, rig, joints), done)

    def _stage(self) -> int:
        """The number of steps before the place where new layers go in: behind the selected card, at the end on Result; -1
        where the rig there lacks the selected joint."""
        session = self.session
        evaluation = session.settled
        if session.take is None or evaluation is None:
            return -1
        stage = min(max(session.stage_of(session.card), 0), len(session.take.steps))
        clips = evaluation.clips
        return stage if stage < len(clips) and session.joint in clips[stage].skeleton.index else -1

    def ask_merge(self) -> None:
        """Merge the selected layer with the one below, once its result was seen."""
        self._ask_layer("Merge onto the layer below", "does what both do", 2)

    def ask_turn_into_layer(self) -> None:
        """Put a layer of keys in the place of the selected step, once its result was seen."""
        self._ask_layer("Turn the step into a layer", "does what the step does", 1)

    def _ask_layer(self, title: str, does: str, count: int) -> None:
        """Find the layer in the background, then say what would come out, and do it only when told. count: how many steps
        it stands for, up to the selected one."""
        session = self.session
        found = self._change(count)
        if found is None:
            return
        below, above, at = found
        take, card = session.take, session.card

        def put(result: Merged) -> None:
            if (session.take, session.card) == (take, card):  # nothing else was done meanwhile
                self.merge(result, count)

        def done(result: Merged) -> None:
            if (session.take, session.card) != (take, card):
                return
            box = QMessageBox(self.parent)
            box.setWindowTitle(title)
            box.setText(
                f"One layer with {result.keys} keys {does}, at most {result.degrees:.2f}° and {result.mm:.2f} mm off "
                "at any frame. Weights, envelopes and masks are taken in."
            )
            good = box.addButton("Merge" if count > 1 else "Turn it into a layer", QMessageBox.ButtonRole.AcceptRole)
            every = box.addButton("A key on every frame", QMessageBox.ButtonRole.ActionRole)
            box.addButton("Leave them" if count > 1 else "Leave it", QMessageBox.ButtonRole.RejectRole)
            box.exec()
            if box.clickedButton() is good:
                put(result)
            elif box.clickedButton() is every:
                session.compute(lambda: work.merged(below, above, at, every_frame=True), put)

        session.compute(lambda: work.merged(below, above, at, MERGE_DEGREES, MERGE_MM), done)

    def _change(self, count: int) -> tuple[Clip, Clip, list[int]] | None:
        """The clips before the last ``count`` steps up to the selected one and after it, and the frames on which any of
        them has keys."""
        session = self.session
        take, evaluation = session.take, session.settled
        first = session.card - count + 1
        if take is None or evaluation is None or first < 0:
            return None
        layers = [
            s.settings for s in take.steps[first : session.card + 1] if isinstance(s.settings, CorrectionSettings)
        ]
        at = {f for settings in layers for _, f in work.all_keys(settings)}
        return evaluation.clips[first], evaluation.clips[session.card + 1], sorted(at)

    def merge(self, result: Merged, count: int = 2) -> None:
        """Put the layer in the place of the last ``count`` steps up to the selected one, under the first one's name."""
        session = self.session
        take, first = session.take, session.card - count + 1
        if take is None or first < 0:
            return
        layer = msgspec.structs.replace(make("correction", take.steps[first].name), settings=result.settings)
        steps = (*take.steps[:first], layer, *take.steps[session.card + 1 :])
        session.card = first
        session.edit_take("merge layers" if count > 1 else "turn it into a layer", replace(take, steps=steps))
        session.selection_changed.emit()
