"""The page of the selected card, made from typed settings."""
