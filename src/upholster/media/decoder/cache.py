"""Readers kept open for the next request."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager

from upholster.media.decoder.reader import Reader


class _Open:
    """A reader, and how many use it just now."""

    def __init__(self, reader: Reader) -> None:
        self.reader = reader
        self.users = 0


class ReaderCache:
    """Up to `most` readers that nobody uses stay open, oldest use closed first; one in use is never closed."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._open: OrderedDict[Hashable, _Open] = OrderedDict()
        self._lock = threading.Lock()

    @contextmanager
    def using(self, name: Hashable, opened: Callable[[], Reader]) -> Iterator[Reader]:
        """The reader kept under a name, opened where there is none, for the time of the block."""
        with self._lock:
            found = self._open.get(name)
            if found is None:
                # Opening is quick, and two that ask for the same footage must not open it twice.
                found = self._open[name] = _Open(opened())
            self._open.move_to_end(name)
            found.users += 1
        try:
            yield found.reader
        finally:
            with self._lock:
                found.users -= 1
                idle = [key for key, each in self._open.items() if not each.users]
                surplus = [self._open.pop(key) for key in idle[: max(0, len(self._open) - self._most)]]
            for each in surplus:
                each.reader.close()
