"""Findings as JUnit XML, which build servers read: a suite per file, a case per clip and check."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from xml.etree import ElementTree as Xml

from reflexa.checks.model import Finding
from reflexa.checks.registry import CHECKS

# What no XML document may hold, escaped or not (XML 1.0, section 2.2).
_NOT_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


@dataclass(frozen=True)
class Looked:
    """One clip of a file and what was found in it; error: why it could not be looked at, an empty text where it could."""

    path: str
    clip: str = ""
    findings: tuple[Finding, ...] = ()
    error: str = ""


@dataclass(frozen=True)
class Case:
    """One thing that was tried: its suite, its name, why it could not be done (an empty text where it could), and what is wrong
    with it, in words; kind: of that; of: what it was tried on, where that is more than the suite."""

    suite: str
    name: str
    error: str = ""
    failures: tuple[str, ...] = ()
    kind: str = "finding"
    of: str = ""


def junit(all_: Iterable[Looked]) -> str:
    """The document of findings in clips."""
    return cases("reflexa check", [case for looked in all_ for case in _cases(looked)])


def _cases(looked: Looked) -> list[Case]:
    if looked.error:
        return [Case(looked.path, "read", looked.error)]
    of, out = f"{looked.path}.{looked.clip}", []
    for check in CHECKS.values():
        own = [f for f in looked.findings if f.kind in check.gives]
        lines = tuple(f"frames {f.frames[0]} to {f.frames[1]}: {f.text}" for f in own)
        out.append(Case(looked.path, check.title, "", lines, own[0].kind if own else "", of))
    return out


def cases(name: str, all_: Iterable[Case]) -> str:
    """A document of cases, suite by suite."""
    root = Xml.Element("testsuites", name=name)
    suites: dict[str, list[Xml.Element]] = {}
    for c in all_:
        case = Xml.Element("testcase", classname=_said(c.of or c.suite), name=_said(c.name))
        if c.error:
            Xml.SubElement(case, "error", message=_said(c.error))
        elif c.failures:
            failure = Xml.SubElement(case, "failure", type=c.kind, message=_said(c.failures[0]))
            failure.text = _said("\n".join(c.failures))
        suites.setdefault(c.suite, []).append(case)
    for suite, elements in suites.items():
        bad = sum(e.find("failure") is not None for e in elements)
        errors = sum(e.find("error") is not None for e in elements)
        said = {"name": _said(suite), "tests": str(len(elements)), "failures": str(bad), "errors": str(errors)}
        Xml.SubElement(root, "testsuite", said).extend(elements)
    Xml.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + Xml.tostring(root, encoding="unicode") + "\n"


def _said(text: str) -> str:
    return _NOT_XML.sub("\ufffd", text)
