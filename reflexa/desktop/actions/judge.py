"""The Judge menu: findings, and what is done about them."""

from __future__ import annotations

from reflexa.checks.judging.mend import Mended, mend
from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.session import RESULT, findings
from reflexa.desktop.settings.result_page import ResultPage


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


def _mend(d: Desk) -> None:
    session = d.session
    take, line = session.take, session.evaluation
    if take is None or line is None:
        return
    source, within, limits = (line.clips[0], line.rigs[0]), session.within, session.project.limits
    notes = session.document.notes if session.document is not None else ()
    done: Mended | None = d.wait("Mending", lambda job: mend(take, source, within, limits, notes, job.tell))
    if done is None or session.take != take:
        return
    kept = [t for t in done.tried if t.kept]
    if kept:
        session.edit_take("mend all", done.take, card=RESULT)
    said = "\n".join(t.text for t in done.tried) or "Nothing that is found has a repair."
    left = len(done.left)
    d.inform(
        f"{said}\n\n{left} finding{'s' if left != 1 else ''} left." if left else f"{said}\n\nNothing is left to mend."
    )


COMMANDS = (
    Command("next_finding", "Next finding", "Judge/1", lambda d: _go(d, 1), "F8", needs.findings),
    Command("previous_finding", "Previous finding", "Judge/1", lambda d: _go(d, -1), "Shift+F8", needs.findings),
    Command("blame", "Show what brought it in", "Judge/1", _here, "Ctrl+F8", needs.findings),
    Command("accept_finding", "Accept findings…", "Judge/2", _accept, "", needs.findings),
    Command("accept_none", "Accept none any longer", "Judge/2", _withdraw, "", needs.accepted),
    Command("mend_all", "Mend all", "Judge/2", _mend, "Ctrl+Shift+F8", needs.repairs),
)
