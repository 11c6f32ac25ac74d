"""Damaged files thrown at every reader: what is not answered by an error of ours is printed."""
