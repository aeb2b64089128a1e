"""The Reckoner: a small window for the arithmetic, there at any time."""
