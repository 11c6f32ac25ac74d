"""The Qt application. Everything that imports Qt lies below this folder."""

import builtins

_own = builtins.__import__
import PySide6.QtCore  # noqa: E402, F401

# PySide reads the source of every module that is imported after it, in search of a statement for switching its features. Nothing
# here has that statement, and without the search the window opens a fifth sooner.
builtins.__import__ = _own
