"""Yomikomi: read footage in, balance quality against size, prove the result."""

import os

# There are none; looking for them reads about every installed package, 60 ms in which the interpreter does nothing else.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

# Matrices here are small: more threads for one wait for each other, and for the jobs beside them.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
