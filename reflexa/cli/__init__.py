"""The command line, one file a command. What can be done here and in the window is the same code."""

from reflexa.cli.main import main

__all__ = ["main"]
