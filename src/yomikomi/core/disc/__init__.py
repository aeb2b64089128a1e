"""Video discs as data: their tables of contents, which titles are what, and titles joined into takes."""
