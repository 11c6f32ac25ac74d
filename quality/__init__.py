"""The instrument: does the motion hold up? Clips times operations, with measures that share no code with the steps."""
