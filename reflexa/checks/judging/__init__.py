"""What is made of findings: who brought them in, what goes together, what mends them, and how they are told."""
