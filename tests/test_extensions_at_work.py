"""An extension that raises while it is at work costs itself alone: said with its name, and the way to it in the log."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from types import SimpleNamespace
from typing import Any

import pytest

from reflexa import plugins
from reflexa.checks import CHECKS, findings
from reflexa.checks.model import Check
from reflexa.checks.registry import register as register_check
from reflexa.errors import ReadError, RecipeError, WriteError
from reflexa.formats import FORMATS, encode, read, registry
from reflexa.formats.model import Format
from reflexa.places import log_file
from reflexa.steps import KINDS, Settings, apply, make
from reflexa.steps.model import Outcome, StepKind
from reflexa.steps.registry import register as register_kind


class TideSettings(Settings, frozen=True):
    pass


def raises(*_: Any) -> Any:
    raise ZeroDivisionError("the tide is out")


def report_raises(given: Any, _settings: Any, _context: Any) -> Outcome:
    return Outcome(given.clip, given.rig, None, raises)


KIND = StepKind("tide", "Tide", "Rises and falls.", TideSettings, raises)
REPORT = StepKind("ebb", "Ebb", "Falls.", TideSettings, report_raises)
CHECK = Check("tide", "Tide", "Rises and falls.", raises, 900, ("tide",), ())
FORMAT = Format("tide", "Tide table", (".tide",), raises, encode=raises)


@pytest.fixture(autouse=True)
def _brought(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    def take_in(thing: Any, of: type[Any], register: Callable[[Any], object]) -> None:
        dist = SimpleNamespace(name="reflexa-tide")
        entry = SimpleNamespace(name="tide", value="tide:KIND", dist=dist, load=lambda: thing)
        monkeypatch.setattr(plugins.metadata, "entry_points", lambda **_: [entry])
        plugins.load_entry_points("tests", of, register)

    take_in((KIND, REPORT), StepKind, register_kind)
    take_in(CHECK, Check, register_check)
    take_in(FORMAT, Format, registry.register)
    yield
    for table, name in ((KINDS, "tide"), (KINDS, "ebb"), (CHECKS, "tide"), (FORMATS, "tide")):
        del table[name]  # type: ignore[attr-defined]
    plugins.FAILED.clear()


def test_a_step_a_finding_and_a_format_fail_alone(deckhand_rig, deckhand_clips, tmp_path) -> None:
    clip = deckhand_clips["walk"]
    with pytest.raises(RecipeError, match=r"the extension tide of reflexa-tide failed .*the tide is out"):
        apply(make("tide"), clip, deckhand_rig)
    assert "in raises" in log_file().read_text() and "ZeroDivisionError" in log_file().read_text()
    from reflexa.steps import Given, outcome

    done = outcome(make("ebb"), Given(clip, deckhand_rig))
    assert done.clip is clip and done.report is None
    found = findings(clip, deckhand_rig)
    assert all(f.kind != "tide" for f in found) and "tide of reflexa-tide" in plugins.FAILED
    (tmp_path / "a.tide").write_text("x")
    with pytest.raises(ReadError, match="reflexa-tide"):
        read(tmp_path / "a.tide")
    with pytest.raises(WriteError, match="reflexa-tide"):
        encode([clip], deckhand_rig, "tide")


def test_what_is_our_own_is_not_hidden(deckhand_rig, deckhand_clips, monkeypatch) -> None:
    with monkeypatch.context() as m:  # undone before what the extension brought is taken away
        m.setitem(KINDS, "tide", StepKind("tide", "Tide", "", TideSettings, raises))
        with pytest.raises(ZeroDivisionError):
            apply(make("tide"), deckhand_clips["walk"], deckhand_rig)
