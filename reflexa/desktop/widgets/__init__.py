"""Small controls that know nothing of the session."""
