"""Designs side by side: played with the same draws, and compared player by player."""

from ramulus.analysis.comparing.comparison import Comparison, compare

__all__ = ["Comparison", "compare"]
