"""The figure in motion: looking, comparing, picking, pulling."""
