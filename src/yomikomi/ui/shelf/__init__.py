"""The Shelf: what there is to read in."""
