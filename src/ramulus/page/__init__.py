"""One page with everything a design says, in a single file that needs no network."""

from ramulus.page.making import report

__all__ = ["report"]
