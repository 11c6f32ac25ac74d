"""What nobody expected: it is shown, written down with the way to it, and costs nothing that was edited."""

from __future__ import annotations

import sys
import threading
import traceback
from types import TracebackType

from PySide6.QtCore import QObject, Signal

from reflexa.desktop.window import MainWindow
from reflexa.log import write_down
from reflexa.places import log_file


class _Teller(QObject):
    """Exceptions come from any thread; they are told on that of the interface."""

    happened = Signal(str)


def install(window: MainWindow) -> None:
    """From now on, an exception that nobody catches is written down and shown, and what was edited is kept."""
    teller = _Teller(window)

    def tell(text: str) -> None:
        last = text.strip().splitlines()[-1]
        window.desk.keeper.keep_now()
        window.desk.show_error(f"Unexpected error: {last}\n\nYour changes are kept. Details are in {log_file()}.")

    teller.happened.connect(tell)

    def caught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        write_down(text)
        sys.stderr.write(text)
        teller.happened.emit(text)

    sys.excepthook = caught
    threading.excepthook = lambda a: caught(a.exc_type, a.exc_value or a.exc_type(), a.exc_traceback)
