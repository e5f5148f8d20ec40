"""The page, served on this machine and drawn anew whenever its design file is saved."""

from ramulus.page.live.session import Session, Sizes

__all__ = ["Session", "Sizes"]
