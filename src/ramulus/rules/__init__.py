"""The rules: costs, awards, stats, encounters and multipliers, tabulated."""
