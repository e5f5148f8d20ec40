"""What a design needs of the kernel: what it does not need is left out when the kernel is compiled."""

from __future__ import annotations

from typing import NamedTuple


class Features(NamedTuple):
    """What a design needs of the kernel beyond sources of fixed XP that take exact times.

    Attributes:
        rich: sources practise skills or run out, or multipliers go on and off.
        drawn: XP is drawn, not fixed. Whoever is rich can do that, too: to ask at each encounter costs next to nothing
            there, and spares a third of all kernels.
        varies: times vary.
        eventful: rules look at what was done, or there are gates, pools or time away; it is rich, too.
        logged: every award is written down; it is rich, too.
        leaps: some levels take so many encounters that these are leapt over; it is rich, too, and
            nothing eventful or logged.
    """

    rich: bool
    drawn: bool
    varies: bool
    eventful: bool
    logged: bool = False
    leaps: bool = False
