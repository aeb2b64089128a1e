"""Simulated players and tapes: real pictures and sound with known faults, for demo, tests and learning."""
