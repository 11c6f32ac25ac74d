"""What can go wrong, as typed errors that say where, what and what to do. Shown where a person is."""

from __future__ import annotations

from pathlib import Path


class ReflexaError(Exception):
    """Base of every error that is meant for a person.

    path: the file it concerns; place: where in it (a line, an offset, a joint); reason: what is wrong;
    advice: what to do about it. exit_status is the command line's, as the contract says.
    """

    exit_status = 2

    def __init__(self, reason: str, path: Path | str = "", place: str = "", advice: str = "") -> None:
        self.reason, self.path, self.place, self.advice = reason, str(path), place, advice
        super().__init__(reason)

    def __str__(self) -> str:
        where = ", ".join(w for w in (self.path, self.place) if w)
        text = f"{where}: {self.reason}" if where else self.reason
        return f"{text}. {self.advice}" if self.advice else text

    def __reduce__(self) -> tuple[object, ...]:
        # Errors cross process borders in batch work.
        return type(self), (self.reason, self.path, self.place, self.advice)


class ReadError(ReflexaError):
    """A file that cannot be read or is damaged."""

    exit_status = 3


class MissingPackage(ReadError):
    """A file is of a kind for which a package is needed that is not installed: nothing is wrong with the file."""

    exit_status = 2


class WriteError(ReflexaError):
    """A file that could not be written; what was there before is whole."""

    exit_status = 4


class RecipeError(ReflexaError):
    """A recipe, step or setting that means nothing."""

    exit_status = 2


def os_message(error: OSError | ValueError) -> str:
    """What the system says, in words."""
    told = error.strerror if isinstance(error, OSError) else ""
    return (told or str(error)).lower()


def misfit(error: Exception) -> tuple[str, str]:
    """Why plain data fits no type and where in it, such as ``[2].name``, as msgspec says it."""
    reason, _, place = str(error).partition(" - at ")
    return reason[:1].lower() + reason[1:], place.strip("`").removeprefix("$")
