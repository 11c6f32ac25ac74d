"""Is there anything to open a window on? Asked before the toolkit is, which ends the process where there is not."""

from __future__ import annotations

import os
import socket
import sys
from pathlib import Path

_PATIENCE = 2.0  # seconds


def there() -> bool:
    """A display that answers, or a platform of the toolkit's that needs none."""
    if sys.platform != "linux" or os.environ.get("QT_QPA_PLATFORM", "xcb").partition(":")[0] not in ("xcb", "wayland"):
        return True
    wayland = os.environ.get("WAYLAND_DISPLAY")
    if wayland and _answers(str(Path(os.environ.get("XDG_RUNTIME_DIR", "/run")) / wayland)):
        return True
    host, _, number = os.environ.get("DISPLAY", "").rpartition(":")
    number = number.partition(".")[0]
    if not number.isdigit():
        return False
    if host in ("", "unix"):
        place = f"/tmp/.X11-unix/X{number}"
        return _answers(place) or _answers(f"\0{place}")
    try:
        socket.create_connection((host, 6000 + int(number)), _PATIENCE).close()
    except OSError:
        return False
    return True


def _answers(place: str) -> bool:
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as s:
        s.settimeout(_PATIENCE)
        try:
            s.connect(place)
        except (OSError, ValueError):
            return False
    return True
