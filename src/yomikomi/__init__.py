"""Yomikomi: read footage in, balance quality against size, prove the result."""

import os

# There are none; looking for them reads about every installed package, 60 ms in which the interpreter does nothing else.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.1.0"
