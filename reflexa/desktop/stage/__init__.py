"""The Stage view, and what hands do to props."""
