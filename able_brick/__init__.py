"""Able Brick: block out game levels from modular mesh pieces, slim them, hand them to an engine."""

__version__ = "0.1.0"
