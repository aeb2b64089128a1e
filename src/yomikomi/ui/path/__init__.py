"""The Path station."""
