"""Carriers: what they are and what is usual for them."""
