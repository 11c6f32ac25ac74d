"""One browser for the pages of a file of tests."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from tests.helpers.browser import Browser, browser, found


@pytest.fixture(scope="module")
def window(tmp_path_factory) -> Iterator[Browser]:
    if not found():
        pytest.skip("no browser is installed")
    with browser(tmp_path_factory.mktemp("profile")) as b:
        yield b
