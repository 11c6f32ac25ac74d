"""What is made of findings: who brought them in, what goes together, what fixes them, and how they are told."""
