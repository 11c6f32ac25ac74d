"""The Clips view: takes and clips with previews."""
