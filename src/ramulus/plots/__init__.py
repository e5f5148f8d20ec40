"""Figures from tables and results: each takes `ax=` or figure options and returns the Axes."""

from ramulus.plots.pace import pace

__all__ = ["pace"]
