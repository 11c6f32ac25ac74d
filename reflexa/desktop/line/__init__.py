"""The revision line: the order of computation, as cards."""
