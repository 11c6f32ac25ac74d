"""Every file that goes below a data folder such as ``~/.local/share``, by its relative name."""

from __future__ import annotations

import sys
from importlib.resources import files
from pathlib import Path
from xml.sax.saxutils import escape

import reflexa
from reflexa import __version__
from reflexa.install.completion import SHELLS, script
from reflexa.install.manual import page
from reflexa.project.store import PARTS, RECIPES, RIGS, TAKES
from reflexa.stage.store import SUFFIX as STAGE

ID = "dev.reflexa.Reflexa"
# Our documents: MIME subtype, what it is, and how its files end.
DOCUMENTS = (
    ("x-reflexa-take+json", "Reflexa take", PARTS[TAKES]),
    ("x-reflexa-recipe+json", "Reflexa recipe", PARTS[RECIPES]),
    ("x-reflexa-rig+json", "Reflexa rig document", PARTS[RIGS]),
    ("x-reflexa-stage+json", "Reflexa stage", STAGE),
)
_SUMMARY = "Revise skeletal animation clips"
_ABOUT = (
    "Reflexa is for game animators who revise skeletal animation: mirror clips across a symmetric skeleton, retarget them "
    "between rigs, blend them per joint, layer corrections, fix root motion and foot contacts, change their time.",
    "The source is never changed: what is done is a line of steps, and the results are exported as new clips, read back and "
    "proven.",
)


def all_files(command: str) -> dict[str, str]:
    """Relative name → content. command: what starts Reflexa."""
    out = {
        f"applications/{ID}.desktop": _desktop_entry(command),
        f"metainfo/{ID}.metainfo.xml": _metainfo(),
        f"mime/packages/{ID}.xml": _mime_types(),
        f"icons/hicolor/scalable/apps/{ID}.svg": files("reflexa.desktop.look").joinpath("icons/app.svg").read_text(),
        "man/man1/reflexa.1": page(),
    }
    return out | {place: script(shell) for shell, place in SHELLS.items()}


def own_command() -> str:
    """How Reflexa is started here: by the name that lies beside this Python, or from its sources."""
    beside, door = Path(sys.executable).with_name("reflexa"), Path(reflexa.__file__).parents[1] / "run"
    if beside.exists():
        return f'"{beside}"'
    return f'"{door}" reflexa' if door.exists() else f'"{sys.executable}" -m reflexa'


def _desktop_entry(command: str) -> str:
    types = ";".join(f"application/{t}" for t, _, _ in DOCUMENTS)
    return f"""[Desktop Entry]
Type=Application
Version=1.1
Name=Reflexa
GenericName=Animation clip editor
Comment={_SUMMARY}
Exec={command} %f
Icon={ID}
Terminal=false
Categories=Graphics;3DGraphics;
Keywords=animation;skeleton;mirror;retarget;motion;clip;
MimeType={types};
StartupWMClass=Reflexa
"""


def _metainfo() -> str:
    about = "\n".join(f"    <p>{escape(p)}</p>" for p in _ABOUT)
    types = "\n".join(f"    <mediatype>application/{t}</mediatype>" for t, _, _ in DOCUMENTS)
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<component type="desktop-application">
  <id>{ID}</id>
  <name>Reflexa</name>
  <summary>{_SUMMARY}</summary>
  <metadata_license>CC0-1.0</metadata_license>
  <project_license>MIT</project_license>
  <developer id="dev.reflexa">
    <name>The Reflexa team</name>
  </developer>
  <description>
{about}
  </description>
  <launchable type="desktop-id">{ID}.desktop</launchable>
  <provides>
    <binary>reflexa</binary>
{types}
  </provides>
  <content_rating type="oars-1.1"/>
  <releases>
    <release version="{__version__}" date="2026-11-01"/>
  </releases>
</component>
"""


def _mime_types() -> str:
    rows = "\n".join(
        f"""  <mime-type type="application/{t}">
    <comment>{what}</comment>
    <sub-class-of type="application/json"/>
    <glob pattern="*{suffix}" weight="80"/>
  </mime-type>"""
        for t, what, suffix in DOCUMENTS
    )
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
{rows}
</mime-info>
"""
