"""Real devices: what there is, what it can, who uses it, and reading it."""
