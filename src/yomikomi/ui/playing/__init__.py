"""The player's window."""
