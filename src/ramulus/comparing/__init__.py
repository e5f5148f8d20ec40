"""Designs side by side: played with the same draws, and compared player by player."""

from ramulus.comparing.comparison import Comparison, compare
from ramulus.comparing.sweep import sweep

__all__ = ["Comparison", "compare", "sweep"]
