"""Pieces that tests share."""
