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


def junit(all_: Iterable[Looked]) -> str:
    """The document."""
    root = Xml.Element("testsuites", name="reflexa check")
    suites: dict[str, list[Xml.Element]] = {}
    for looked in all_:
        cases = suites.setdefault(looked.path, [])
        if looked.error:
            case = Xml.Element("testcase", classname=_said(looked.path), name="read")
            Xml.SubElement(case, "error", message=_said(looked.error))
            cases.append(case)
            continue
        for check in CHECKS.values():
            case = Xml.Element("testcase", classname=_said(f"{looked.path}.{looked.clip}"), name=check.title)
            own = [f for f in looked.findings if f.kind in check.gives]
            if own:
                lines = [f"frames {f.frames[0]} to {f.frames[1]}: {f.text}" for f in own]
                failure = Xml.SubElement(case, "failure", type=own[0].kind, message=_said(own[0].text))
                failure.text = _said("\n".join(lines))
            cases.append(case)
    for path, cases in suites.items():
        bad = sum(c.find("failure") is not None for c in cases)
        errors = sum(c.find("error") is not None for c in cases)
        said = {"name": _said(path), "tests": str(len(cases)), "failures": str(bad), "errors": str(errors)}
        Xml.SubElement(root, "testsuite", said).extend(cases)
    Xml.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + Xml.tostring(root, encoding="unicode") + "\n"


def _said(text: str) -> str:
    return _NOT_XML.sub("\ufffd", text)
