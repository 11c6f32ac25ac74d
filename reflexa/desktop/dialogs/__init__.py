"""Dialogs, one file each."""
