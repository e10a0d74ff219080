"""Skarvin moves marks between learning systems, with every mark accounted for."""

__version__ = "0.1.0"
