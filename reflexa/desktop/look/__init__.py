"""Palette, font and icons."""
