"""The time area: ruler, lanes, key sheet, curves."""
