"""Simulated video discs: titles with known truth, their data and their tables of contents."""
