"""Measurements of speed and memory: ``make bench``, or ``python -m bench NAME …`` for some of them.

Absolute figures depend on the machine; what is compared is measured in the same run.
"""
