"""One page with everything a design says, in a single file that needs no network."""

from ramulus.page.report import report

__all__ = ["report"]
