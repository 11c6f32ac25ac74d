"""What touches what, and when: parts of the body that come close to each other."""
