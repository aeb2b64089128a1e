"""Recipes: complete sets of encode settings, and what encoders make of them."""
