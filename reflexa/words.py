"""How numbers are said."""

from __future__ import annotations

from collections.abc import Iterable


def counted(count: int, what: str, many: str = "") -> str:
    """How many of something there are.

    >>> counted(1, "frame"), counted(0, "key"), counted(12_000, "clip"), counted(2, "match", "matches")
    ('1 frame', '0 keys', '12,000 clips', '2 matches')
    """
    return f"{count:,} {what}" if count == 1 else f"{count if count < 10_000 else f'{count:,}'} {many or what + 's'}"


def plain(value: float, digits: int, sign: str = "") -> str:
    """A number without a minus before nothing. sign: "+" to have one always.

    >>> plain(-0.04, 1), plain(2.04, 1, "+"), plain(-0.04, 1, "+")
    ('0.0', '+2.0', '+0.0')
    """
    return f"{round(value, digits) + 0.0:{sign}.{digits}f}"


def sentence(text: str) -> str:
    """A text that begins with a capital letter and ends with a stop.

    >>> sentence("no take is open"), sentence("Done."), sentence("")
    ('No take is open.', 'Done.', '')
    """
    return text and text[0].upper() + text[1:] + ("" if text[-1] in ".!?…" else ".")


def length(metres: float) -> str:
    """A length in the unit that it is read in: metres from one on, millimetres below a centimetre.

    >>> [length(m) for m in (12.3, 1.0, 0.254, 0.0049, -0.0)]
    ['12.30 m', '1.00 m', '25.4 cm', '4.9 mm', '0.0 mm']
    """
    far = abs(metres)
    value, digits, unit = (
        (metres, 2, "m") if far >= 1 else (metres * 100, 1, "cm") if far >= 0.01 else (metres * 1000, 1, "mm")
    )
    return f"{plain(value, digits)} {unit}"


def listed(names: Iterable[str], most: int = 3) -> str:
    """Names in quotes, the first few of them.

    >>> listed(["hips"]), listed("abcde")
    ("'hips'", "'a', 'b', 'c' and 2 more")
    """
    given = list(names)
    more = f" and {len(given) - most} more" if len(given) > most else ""
    return ", ".join(map(repr, given[:most])) + more
