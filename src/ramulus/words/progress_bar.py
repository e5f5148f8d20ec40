"""A bar for long work that is started by hand: in a notebook, or at a terminal."""

from __future__ import annotations

import html
import sys
import weakref
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from ramulus.simulation.in_flight import Progress
    from ramulus.tuning.trials import TrialProgress

_BAR = "<progress max='1' value='{:.4f}'></progress> "


class ProgressBar:
    """A bar for the `progress=` of any call; nothing is shown where nobody watches (a pipe, a file).

    In notebooks it needs no further package. One bar may serve several calls, one after the other.

    Args:
        text: stands before what the call says of how far it is.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=20, progress=rm.ProgressBar("playing"))
    """

    def __init__(self, text: str = "") -> None:
        self.text = text
        self._shown: Any = None

    def __call__(self, state: Progress | TrialProgress | float) -> None:
        """Show how far something has got."""
        share, text = _read(state)
        text = " · ".join(part for part in (self.text, text) if part)
        if _in_a_notebook():
            self._in_notebook(share, text)
        elif sys.stderr is not None and sys.stderr.isatty():
            self._on_terminal(share, text)

    def _in_notebook(self, share: float | None, text: str) -> None:
        import IPython.display

        front: Any = IPython.display
        # Where nobody knows how much there is, a bar would go on moving after the end.
        shown = front.HTML(f"<div>{_BAR.format(share) if share is not None else ''}{html.escape(text)}</div>")
        if self._shown is None:
            self._shown = front.display(shown, display_id=True)
        else:
            self._shown.update(shown)

    def _on_terminal(self, share: float | None, text: str) -> None:
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn

        if self._shown is None:
            columns = TextColumn("{task.description}", markup=False), BarColumn()
            bar = Progress(*columns, console=Console(stderr=True), transient=True, auto_refresh=False)
            self._shown = bar, bar.add_task(text, total=1.0)
            self._ended = weakref.finalize(self, bar.stop)  # A call that was interrupted ends no bar.
            bar.start()
        bar, task = self._shown
        bar.update(task, description=text, total=None if share is None else 1.0, completed=share or 0.0)
        bar.refresh()
        if share is not None and share >= 1.0:
            self._ended()
            self._shown = None


def _read(state: Any) -> tuple[float | None, str]:
    """Return the share that is done, None where nobody knows, and how much that is."""
    if isinstance(state, int | float):
        return float(state), f"{state:.0%}"
    if hasattr(state, "doing"):
        of = f" of about {state.runs:,}" if state.runs else ""
        share = min(state.runs_done / state.runs, 1.0) if state.runs else None
        return share, f"{state.doing} · {state.runs_done:,}{of} variants played"
    return state.players_done / state.players, f"{state.players_done:,} of {state.players:,}, {state.seconds:.0f} s"


def _in_a_notebook() -> bool:
    """Return whether this runs in a kernel of notebooks; nothing is loaded to find that out."""
    shell = getattr(sys.modules.get("IPython"), "get_ipython", lambda: None)()
    return getattr(shell, "kernel", None) is not None
