"""Results kept in memory for the next request, up to a number of bytes."""

import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

from cachetools import LRUCache

from upholster.config import config

T = TypeVar("T")

#: Bytes of pictures kept for looking at, and of what is known of footage.
PICTURES = config().pictures_mib << 20
KNOWLEDGE = PICTURES // 4
#: What anything small counts, its place in the table included.
_SMALL = 256


class Kept:
    """Values by name, oldest use dropped first. One that several ask for at once is computed once."""

    def __init__(self, limit: int) -> None:
        self._kept: LRUCache[Hashable, Any] = LRUCache(limit, getsizeof=size_of)
        self._lock = threading.Lock()
        self._computing: dict[Hashable, threading.Lock] = {}

    @property
    def bytes(self) -> int:
        return int(self._kept.currsize)

    def get(self, name: Hashable, compute: Callable[[], T]) -> T:
        """The value kept under a name, or computed now; larger than the limit, it is not kept."""
        with self._lock:
            if name in self._kept:
                return self._kept[name]
            turn = self._computing.setdefault(name, threading.Lock())
        with turn:
            with self._lock:
                if name in self._kept:
                    return self._kept[name]
            try:
                value = compute()
                with self._lock:
                    if size_of(value) <= self._kept.maxsize:
                        self._kept[name] = value
            finally:
                with self._lock:
                    self._computing.pop(name, None)
            return value

    def clear(self) -> None:
        """Keep nothing."""
        with self._lock:
            self._kept.clear()


def size_of(value: Any) -> int:
    """Bytes of a value: of arrays and what maps a file, what they hold; of tuples and dicts, their parts together."""
    if isinstance(value, dict):
        # What stands under two names is there once.
        value = tuple({id(part): part for part in value.values()}.values())
    if isinstance(value, tuple):
        return _SMALL + sum(map(size_of, value))
    return int(getattr(value, "nbytes", 0)) + _SMALL
