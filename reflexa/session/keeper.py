"""Watches over the open project: keeps every edit within seconds, holds the lock, and notices what others change on disk."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path

from reflexa.errors import ReflexaError
from reflexa.project import lock, recovery, store
from reflexa.project.lock import Holder, Lock
from reflexa.session.session import Session
from reflexa.session.signals import Signal
from reflexa.session.sources import changed
from reflexa.session.work import Job

# An edit is kept so long after it was made, and the disk is looked at so often, milliseconds.
_SOON, _LOOK = 800, 2000

Stamp = Mapping[str, tuple[int, int]]
# When files were written, and what is in them where that may be something else than before.
_Look = tuple[Stamp, dict[str, str] | None]

# So many times a look at the disk is put off while there is work.
_PATIENCE = 15


class Keeper:
    """``changed_on_disk``: files of the project are others than when it was read or saved; their names."""

    def __init__(self, session: Session) -> None:
        self.changed_on_disk = Signal[list[str]]()
        self.session = session
        self._folder: Path | None = None
        self._lock: Lock | None = None
        self._stamp: Stamp = {}
        self._put_off = 0
        self._told: dict[str, str] | None = None
        self._failed = False
        self._soon = session.loop.timer(self._keep, _SOON, once=True)
        self._look = session.loop.timer(self._look_now_and_then, _LOOK)
        self._look.start()
        session.history.saved_changed.connect(self._on_edit)

    # The lock -----------------------------------------------------------------------------------------------

    def hold(self, folder: Path, by_force: bool = False) -> Holder | None:
        """Take the lock of a project; who has it where it cannot be had. That of another one is let go."""
        self.let_go()
        self._folder, self._failed, self._told, self._stamp = folder, False, None, {}
        taken = lock.take(folder, by_force)
        if isinstance(taken, Holder):
            return taken
        self._lock = taken
        return None

    def let_go(self, leaving: bool = False) -> None:
        """Let go of the lock. leaving: on purpose, and what was not saved is not wanted."""
        self._soon.stop()
        if self._folder is not None and leaving:
            recovery.forget(self._folder)
        if self._lock is not None:
            self._lock.release()
            self._lock = None

    # Every edit ---------------------------------------------------------------------------------------------

    def _on_edit(self) -> None:
        if self.session.folder != self._folder:
            return
        if not self.session.history.unsaved:
            self._soon.stop()
            recovery.forget(self.session.folder)
            self._told = None
        elif not self._soon.active:
            self._soon.start()

    def _keep(self) -> None:
        project, folder = self.session.project, self.session.folder
        if not self.session.history.unsaved:
            return

        def call(_: Job[bool]) -> bool:
            recovery.keep(project, folder)
            return True

        def done(_: bool) -> None:
            if not self.session.history.unsaved and self.session.folder == folder:
                recovery.forget(folder)  # it was saved while this was written

        job = Job(call, done)
        job.failed = self._say
        self.session.work.start(job, "recovery")

    def _say(self, error: Exception) -> None:
        if not self._failed:
            self._failed = True
            self.session.said.emit(f"Unsaved changes cannot be backed up next to the project: {error}")

    def keep_now(self) -> None:
        """Keep what there is at once: something went wrong. Says nothing where it cannot."""
        if self._folder is not None and self.session.history.unsaved:
            try:
                recovery.keep(self.session.project, self._folder)
            except (ReflexaError, OSError):
                return

    # Others -------------------------------------------------------------------------------------------------

    def _look_now_and_then(self) -> None:
        """Beside work that reads files each look at one takes its turn with that: hundreds would hold up the window."""
        self._put_off = self._put_off + 1 if self.session.work.busy else 0
        if self._put_off in (0, _PATIENCE):
            self._put_off = 0
            self.look()

    def look(self) -> None:
        """See whether somebody else has changed the project on disk; that is read beside the work."""
        folder, sources, before = self._folder, self.session.sources, self._stamp
        if folder is None or not sources.placed or sources.folder != folder or sources.saving:
            return
        known = sources.state

        def call(_: Job[_Look]) -> _Look:
            now = _stamp(folder)
            return now, None if now == before else store.state(folder)

        def done(look: _Look) -> None:
            self._stamp, state = look
            names = sorted(changed(known, state)) if state is not None else []
            if names and state != self._told:
                self._told = state
                self.changed_on_disk.emit(names)

        job = Job(call, done)
        job.lands = lambda: self.session.sources is sources and sources.state is known and not sources.saving
        self.session.work.start(job, "disk")


def _stamp(folder: Path) -> Stamp:
    """When the project's texts were written, and how long they are: enough to know that nothing has happened."""
    out: dict[str, tuple[int, int]] = {}
    for place, wanted in ((folder, store.PROJECT), *((folder / part, ".json") for part in store.PARTS)):
        try:
            with os.scandir(place) as found:
                for entry in found:
                    if entry.name.endswith(wanted):
                        s = entry.stat()
                        out[entry.name] = s.st_mtime_ns, s.st_size
        except OSError:
            continue
    return out
