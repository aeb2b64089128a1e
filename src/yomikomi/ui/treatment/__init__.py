"""The Treatment station."""
