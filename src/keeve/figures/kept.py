"""What a process keeps in memory of what never changes."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Itself:
    """A thing that never changes, as a key or a part of one: the same only as itself."""

    __slots__ = ("thing",)

    def __init__(self, thing: object) -> None:
        self.thing = thing

    def __eq__(self, other: object) -> bool:
        """Whether it is the very same thing."""
        return isinstance(other, Itself) and other.thing is self.thing

    def __hash__(self) -> int:
        """Of the thing itself, whatever it holds."""
        return id(self.thing)


class Kept(Generic[K, V]):
    """Things of a kind by their key: what was asked for least lately leaves first."""

    def __init__(self, most: int, size: Callable[[V], int] = lambda _: 1) -> None:
        """Keep so many of them, or so much where each has a size."""
        self._most, self._size, self._all = most, size, 0
        self._known: OrderedDict[K, V] = OrderedDict()
        self._turn = Lock()

    def get(self, key: K) -> V | None:
        """A thing by its key; None where it is not kept."""
        with self._turn:
            found = self._known.get(key)
            if found is not None:
                self._known.move_to_end(key)
            return found

    def of(self, key: K, make: Callable[[], V]) -> V:
        """A thing by its key, made where it is not kept."""
        found = self.get(key)
        return self.keep(key, make()) if found is None else found

    def keep(self, key: K, thing: V) -> V:
        """Keep a thing, and give it back: as it was kept before, where it was."""
        with self._turn:
            if key in self._known:
                return self._known[key]
            self._known[key] = thing
            self._all += self._size(thing)
            while self._all > self._most:
                self._all -= self._size(self._known.popitem(last=False)[1])
        return thing
