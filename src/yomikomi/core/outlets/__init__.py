"""Outlets: where a copy must play, with the limits of each kind of place."""
