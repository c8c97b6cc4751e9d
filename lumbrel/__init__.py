"""Lumbrel: the finisher's bench, from near-syrup to a labelled jar."""

__version__ = "0.24.0"
