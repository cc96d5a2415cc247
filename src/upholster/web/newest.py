"""Which of a window's questions is the newest, so that older ones need no answer."""

import threading

from cachetools import LRUCache

from upholster.studio.looking.hand import GoingOn, Overtaken, anyway


class Newest:
    """Numbers of the newest questions, by whoever asks."""

    def __init__(self, windows: int = 1000) -> None:
        self._numbers: LRUCache[str, int] = LRUCache(windows)
        self._lock = threading.Lock()

    def note(self, window: str, number: int) -> None:
        """A question came in."""
        with self._lock:
            self._numbers[window] = max(number, self._numbers.get(window, 0))

    def overtaken(self, window: str, number: int, by: int = 1) -> bool:
        """Whether a question at least `by` newer has come in."""
        with self._lock:
            return self._numbers.get(window, number) >= number + by

    def begin(self, window: str, number: int, *, fine: bool) -> GoingOn:
        """What is asked between two steps of a picture that is begun; raises `Overtaken` where none is wanted.

        The quick one before the newest is still drawn, as while a value is dragged, and one that is begun is shown.
        """

        def going_on() -> None:
            if self.overtaken(window, number, by=1 if fine else 2):
                raise Overtaken

        going_on()
        return going_on if fine else anyway
