"""The Reading station."""
