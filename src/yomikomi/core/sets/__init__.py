"""Several copies of one take at once: named sets of recipes, each for its outlets."""
