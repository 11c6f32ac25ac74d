"""One file a command."""
