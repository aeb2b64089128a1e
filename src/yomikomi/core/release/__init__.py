"""Letting raw takes go: the rules that must hold, and the moving away that can be undone. Nothing else in the program removes a take."""
