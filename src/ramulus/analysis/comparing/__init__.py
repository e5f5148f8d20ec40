"""Designs side by side: played with the same draws, and compared player by player."""

from ramulus.analysis.comparing.comparison import Comparison, compare
from ramulus.analysis.comparing.sweep import sweep

__all__ = ["Comparison", "compare", "sweep"]
