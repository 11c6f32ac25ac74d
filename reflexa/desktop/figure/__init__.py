"""The Figure view: the joint tree, and what each joint is."""
