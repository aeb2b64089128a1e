"""Findings as cards: what is so, how sure it is, what it rests on, what to do. One module a group of topics."""
