"""A headless browser, driven by the W3C WebDriver protocol (https://www.w3.org/TR/webdriver2/), to look at pages that we make."""

from __future__ import annotations

import base64
import json
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.error import URLError
from urllib.request import Request, urlopen


def found() -> bool:
    """Are a browser and its driver installed?"""
    return bool(shutil.which("chromium") and shutil.which("chromedriver"))


class Browser:
    """One window. Everything that was said on its console is kept, and every request that it made."""

    def __init__(self, url: str, session: str) -> None:
        self._url = f"{url}/session/{session}"

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        return _ask(method, f"{self._url}{path}", body)

    def open(self, page: Path) -> None:
        self.ask("POST", "/url", {"url": page.resolve().as_uri()})

    def run(self, script: str, *args: Any) -> Any:
        """What a script in the page gives back; it may be a promise."""
        said = f"(async (...a) => {{ {script} }})(...arguments).then(done, e => done('failed: ' + e))"
        wrapped = f"const done = arguments[arguments.length - 1]; {said}"
        return self.ask("POST", "/execute/async", {"script": wrapped, "args": list(args)})

    def wait(self, script: str, seconds: float = 20.0) -> None:
        end = time.monotonic() + seconds
        while not self.run(f"return {script}"):
            assert time.monotonic() < end, f"never true: {script}"
            time.sleep(0.05)

    def press(self, *keys: str) -> None:
        """Keys, one after the other, as a keyboard sends them."""
        actions = [{"type": t, "value": k} for k in keys for t in ("keyDown", "keyUp")]
        self.ask("POST", "/actions", {"actions": [{"type": "key", "id": "k", "actions": actions}]})

    def drag(self, start: tuple[int, int], end: tuple[int, int]) -> None:
        """With the left button, in pixels of the window."""
        moves = [
            {"type": "pointerMove", "duration": 0, "x": start[0], "y": start[1]}, {"type": "pointerDown", "button": 0},
            {"type": "pointerMove", "duration": 60, "x": end[0], "y": end[1]}, {"type": "pointerUp", "button": 0},
        ]  # fmt: skip
        self.ask("POST", "/actions", {"actions": [{"type": "pointer", "id": "m", "actions": moves}]})

    def picture(self) -> bytes:
        """The window as PNG."""
        return base64.b64decode(self.ask("GET", "/screenshot"))

    def log(self, kind: str) -> list[dict[str, Any]]:
        """What came since last asked: "browser" is the console, "performance" the requests."""
        return list(self.ask("POST", "/se/log", {"type": kind}))

    def requests(self) -> list[str]:
        """The addresses that were asked for."""
        said = (json.loads(e["message"])["message"] for e in self.log("performance"))
        return [m["params"]["request"]["url"] for m in said if m["method"] == "Network.requestWillBeSent"]


def _ask(method: str, url: str, body: Any = None) -> Any:
    data = None if body is None else json.dumps(body).encode()
    request = Request(url, data, {"Content-Type": "application/json"}, method=method)
    with urlopen(request, timeout=60) as answer:
        return json.load(answer)["value"]


@contextmanager
def browser(folder: Path, size: str = "1280,800") -> Iterator[Browser]:
    """A headless window with a fresh profile in a folder, gone afterwards."""
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    driver = subprocess.Popen(["chromedriver", f"--port={port}"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    url = f"http://127.0.0.1:{port}"
    flags = [
        "--headless", "--no-sandbox", "--disable-background-networking", "--no-first-run", "--enable-unsafe-swiftshader",
        f"--user-data-dir={folder}", f"--window-size={size}",
    ]  # fmt: skip
    wanted = {
        "browserName": "chrome", "goog:chromeOptions": {"args": flags, "binary": shutil.which("chromium")},
        "goog:loggingPrefs": {"browser": "ALL", "performance": "ALL"},
    }  # fmt: skip
    try:
        for _ in range(200):
            try:
                _ask("GET", f"{url}/status")
                break
            except (URLError, ConnectionError):
                time.sleep(0.05)
        session = _ask("POST", f"{url}/session", {"capabilities": {"alwaysMatch": wanted}})["sessionId"]
        window = Browser(url, session)
        yield window
        window.ask("DELETE", "")
    finally:
        driver.terminate()
        driver.wait(10)
