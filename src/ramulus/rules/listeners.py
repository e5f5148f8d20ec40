"""Who wants to hear of level-ups, the cap, waste and lost levels."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from ramulus.errors import AwardError, UnknownNameError
from ramulus.rules.outcomes import LedgerEvent

EVENTS = ("level_up", "refilled", "reached_cap", "wasted", "lost_level")
Listener = Callable[[Any, LedgerEvent], object]


class Listeners:
    """The listeners of one ledger, in the order of subscription; `any` says whether there are some."""

    def __init__(self) -> None:
        self._all: list[tuple[str, Listener]] = []
        self.any = False

    def add(self, event: str, listener: Listener) -> None:
        """Subscribe a listener to one kind of event.

        Raises:
            UnknownNameError: there is no such event.
        """
        if event not in EVENTS:
            raise UnknownNameError("event", event, EVENTS)
        self._all.append((event, listener))
        self.any = True

    def remove(self, event: str, listener: Listener) -> None:
        """Take the earliest of its subscriptions back.

        Raises:
            AwardError: it is not subscribed.
        """
        try:
            self._all.remove((event, listener))
        except ValueError:
            raise AwardError(f"{listener!r} does not listen for {event!r}") from None

    def tell(self, ledger: object, events: Iterable[LedgerEvent]) -> None:
        """Call every listener for each event; what some of them raise comes out when all have been called."""
        errors = []
        for event in events:
            for kind, listener in list(self._all):
                if kind == event.kind:
                    try:
                        listener(ledger, event)
                    except Exception as error:
                        errors.append(error)
        if len(errors) == 1:
            raise errors[0]
        if errors:
            raise ExceptionGroup("several listeners failed; the ledger is complete", errors)
