"""A short run of the fuzzer over every reader: what is damaged is answered by an error of ours."""

from __future__ import annotations

import os
import signal
import threading
from pathlib import Path

import pytest

from fuzz.running import one
from fuzz.targets import TARGETS
from reflexa.errors import ReadError
from reflexa.formats import encode, read
from tests.helpers.files import DECKHAND


@pytest.mark.parametrize("name", list(TARGETS))
@pytest.mark.filterwarnings("ignore")
def test_what_is_damaged_is_answered(name: str, tmp_path: Path) -> None:
    count = 12 if name in ("usda", "usdc", "glb") else 40
    wrong = {seed: said for seed in range(count) if (said := one(name, seed, tmp_path)) and not said.startswith("slow")}
    assert wrong == {}


def readers() -> list[int]:
    """The processes of this one that read USD."""
    out = []
    for path in Path(f"/proc/{os.getpid()}/task").glob("*/children"):
        for pid in path.read_text().split():
            if b"reflexa.formats.usd.worker" in Path(f"/proc/{pid}/cmdline").read_bytes():
                out.append(int(pid))
    return out


def test_a_file_that_ends_its_reader_ends_nobody_else(tmp_path: Path) -> None:
    document = read(DECKHAND)
    path = tmp_path / "a.usdc"
    path.write_bytes(encode([document.clips[0].cut(0, 3)], document.rig, "usdc"))
    assert read(path).clips[0].frames == 4
    (reader,) = readers()
    os.kill(reader, signal.SIGSTOP)
    came: list[object] = []

    def reading() -> None:
        try:
            came.append(read(path))
        except ReadError as e:
            came.append(e)

    thread = threading.Thread(target=reading)
    thread.start()
    thread.join(0.5)  # it has asked by then, and waits
    os.kill(reader, signal.SIGKILL)  # as the library does to itself over some damage
    thread.join(60)
    assert isinstance(came[0], ReadError) and "it crashed its reader" in came[0].reason
    assert read(path).clips[0].frames == 4, "the next file is read by another"


def test_a_time_that_is_damaged_is_no_long_animation(tmp_path: Path) -> None:
    document = read(DECKHAND)
    path = tmp_path / "a.usda"
    text = encode([document.clips[0].cut(0, 5)], document.rig, "usda").decode()
    path.write_text(text.replace("5: [", "65535: ["))
    with pytest.raises(ReadError, match="frames for"):
        read(path)


@pytest.mark.long
def test_damage_that_its_library_takes_long_over_is_given_up(tmp_path: Path) -> None:
    """A bracket too many in a long list: every number behind it brings the whole list into an error message."""
    document = read(DECKHAND)
    path = tmp_path / "a.usda"
    text = encode([document.clips[0]], document.rig, "usda").decode()
    at = text.rindex("faceVertexIndices = [0, ")
    path.write_text(text[:at] + text[at:].replace("= [0, ", "= [0, [", 1))
    with pytest.raises(ReadError, match="is damaged"):
        read(path)
