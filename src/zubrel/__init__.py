"""Zubrel proves that a game world can be won, or shows the shortest way into trouble."""

__version__ = "0.1.0"
