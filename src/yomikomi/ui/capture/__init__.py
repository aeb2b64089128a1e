"""The Capture station."""
