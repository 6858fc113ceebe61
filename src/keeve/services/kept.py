"""What a process keeps in memory of what never changes."""

from collections.abc import Hashable
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Kept(Generic[K, V]):
    """The newest things of a kind by their key; the oldest leave first."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._known: dict[K, V] = {}

    def get(self, key: K) -> V | None:
        """A thing by its key; None where it is not kept."""
        return self._known.get(key)

    def keep(self, key: K, thing: V) -> V:
        """Keep a thing, and give it back."""
        if key in self._known:
            return thing
        self._known[key] = thing
        if len(self._known) > self._most:
            # Threads may do this at once: a list is a look at one moment, and what is gone already is no fault.
            for oldest in list(self._known)[: -self._most]:
                self._known.pop(oldest, None)
        return thing
