"""The Judge menu: findings, and what is done about them."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QInputDialog

from reflexa.checks.judging.fix import Fixed, fix
from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.actions.opening import all_read
from reflexa.desktop.dialogs.fixes import Fixes
from reflexa.desktop.dialogs.picture import PictureDialog
from reflexa.desktop.settings.result_page import ResultPage
from reflexa.desktop.widgets.where import ask_where
from reflexa.formats.imported import Imported, Note
from reflexa.review.page import save_page
from reflexa.review.subjects import Reviewed
from reflexa.session import RESULT, findings, views
from reflexa.session.work import Job
from reflexa.take import Evaluation, Take, evaluate
from reflexa.take.sequence import source_of


def _go(d: Desk, by: int) -> None:
    f = findings.next_from(d.session, by)
    if f is not None:
        findings.go_to(d.session, f)
        d.say(f"{f.text}, frames {f.frames[0]} to {f.frames[1]}")


def _here(d: Desk) -> None:
    """What brought in the finding at the playhead, or the nearest one."""
    now = d.session.player.frame
    f = min(findings.in_order(d.session), key=lambda f: (abs(f.worst - now), -f.weight), default=None)
    if f is not None:
        findings.show_blame(d.session, f)
        by = findings.name_of(d.session, f.step)
        d.say(f"{f.text}: {by}" if by else f.text)


def _accept(d: Desk) -> None:
    d.session.selection.select_card(RESULT)
    page = d.settings.findChild(ResultPage)
    if page is not None:
        page.tree.accept()


def _withdraw(d: Desk) -> None:
    put_up = [f for g in d.session.evaluator.judgement.groups if g.accepted for f in g.findings]
    findings.withdraw(d.session, put_up)


def _fix(d: Desk) -> None:
    session = d.session
    take, line = session.take, session.computed.evaluation
    if take is None or line is None:
        return
    source, within, limits = (line.clips[0], line.rigs[0]), session.within, session.project.limits
    notes = _notes(session.document, line)
    done: Fixed | None = d.wait("Fixing", lambda job: fix(take, source, within, limits, notes, job.tell))
    if done is None or session.take != take:
        return
    kept = [t for t in done.tried if t.kept]
    if kept:
        session.edit_take("fix all", done.take, card=RESULT)
    d.show(Fixes(session, done, d.window), beside=True)


def _reviewed(d: Desk) -> Reviewed | None:
    session = d.session
    line = session.computed.evaluation
    if line is None:
        return None
    return Reviewed(line.take.name, line, session.project.limits, _notes(session.document, line))


def _notes(file: Imported | None, line: Evaluation) -> tuple[Note, ...]:
    """What the reader of a take's source noticed."""
    return file.notes_on(line.clips[0].name) if file is not None else ()


def _save_picture(d: Desk) -> None:
    subject = _reviewed(d)
    if subject is None:
        return
    look, camera = d.viewport.look, d.viewport.camera
    now = views.of_camera("", camera, look.follow)
    dialog = PictureDialog(subject, now, d.session.player.frame, d.session.computed.range, d.window)

    def save() -> None:
        path = dialog.ask_path()
        if path is None:
            return
        draw = dialog.saving(path)
        written = d.wait("Drawing", lambda job: draw(job.tell))
        if written:
            more = f" and {len(written) - 1} more" if len(written) > 1 else ""
            d.say(f"Written: {written[0]}{more}")

    dialog.accepted.connect(save)
    d.show(dialog)


def _page(d: Desk, all_takes: bool) -> None:
    session = d.session
    own = _reviewed(d)
    if own is None:
        return
    name = session.project.name if all_takes else own.name
    path = ask_where(d.window, "Make a review page", name, ".html")
    if path is None or (all_takes and not all_read(d)):
        return
    takes, clips, limits = session.project.takes, session.clips, session.project.limits
    documents = dict(session.sources.documents)

    def of(take: Take) -> Reviewed:
        within = clips.within(take.name).surroundings
        document = documents.get(take.source.file)
        line = evaluate(take, *source_of(take.source, clips.source), within, lenient=True)
        return Reviewed(take.name, line, limits, _notes(document, line))

    def make(job: Job[Path]) -> Path:
        subjects = [own]
        if all_takes:
            subjects = []
            for take in takes:
                job.tell(take.name, 0.5 * len(subjects) / len(takes))
                subjects.append(of(take))
        return save_page(subjects, path, name, True, lambda text, part: job.tell(text, 0.5 + 0.5 * part))

    written = d.wait("Making the page", make)
    if written is not None:
        d.say(f"Written: {written} ({written.stat().st_size / 1e6:.1f} MB)")


def _keep_view(d: Desk) -> None:
    name, good = QInputDialog.getText(d.window, "Save this view", "Name")
    if good:
        views.keep(d.session, name, d.viewport.camera, d.viewport.look.follow)


def _view_name(d: Desk, at: int) -> str:
    saved = d.session.take.views if d.session.take is not None else ()
    return f"View: {saved[at].name}" if at < len(saved) else f"View {at + 1}"


def _show_view(d: Desk, at: int) -> None:
    saved = d.session.take.views if d.session.take is not None else ()
    if at < len(saved):
        d.viewport.show_view(saved[at])
    else:
        d.say(f"There is no view {at + 1} yet: save one first.")


COMMANDS = (
    Command("next_finding", "Next finding", "Judge/1", lambda d: _go(d, 1), "F8", needs.findings),
    Command("previous_finding", "Previous finding", "Judge/1", lambda d: _go(d, -1), "Shift+F8", needs.findings),
    Command("blame", "Show the step that caused it", "Judge/1", _here, "Ctrl+F8", needs.findings),
    Command("accept_finding", "Accept findings…", "Judge/2", _accept, "", needs.findings),
    Command("accept_none", "Remove all acceptances", "Judge/2", _withdraw, "", needs.accepted),
    Command("fix_all", "Fix all", "Judge/2", _fix, "Ctrl+Shift+F8", needs.repairs),
    Command("save_picture", "Save a picture…", "Judge/3", _save_picture, "Ctrl+Shift+P", needs.result),
    Command("review_page", "Make a review page…", "Judge/3", lambda d: _page(d, False), "", needs.result),
    Command("review_all", "Review page of all takes…", "Judge/3", lambda d: _page(d, True), "", needs.result),
    Command("keep_view", "Save this view…", "Judge/4", _keep_view, "Alt+Shift+V", needs.take),
    *(
        Command(
            f"saved_view_{i}",
            f"View {i}",
            "Judge/4",
            partial(_show_view, at=i - 1),
            f"Alt+Shift+{i}",
            needs.views,
            named=partial(_view_name, at=i - 1),
        )
        for i in range(1, 5)
    ),
)
