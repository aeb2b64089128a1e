"""Yomikomi: read footage in, balance quality against size, prove the result."""

__version__ = "0.1.0"
