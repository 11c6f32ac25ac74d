"""The one solver for what closed forms cannot do: goals, volumes and limits at once, over all frames of a stretch of time."""
