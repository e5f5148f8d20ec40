"""The workbench, served on this machine: what can be turned beside what it changes, following its design file."""

from ramulus.page.bench.session import Session
from ramulus.page.bench.sizes import Sizes

__all__ = ["Session", "Sizes"]
