"""The window: shell, theme, widgets, and one package a station."""
