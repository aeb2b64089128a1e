"""The corrections a take gets before it is encoded, and how they look."""
