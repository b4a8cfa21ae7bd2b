"""Knit Ground: from a sprite sheet to seamless maps that a game can load."""

__version__ = "0.1.0"
