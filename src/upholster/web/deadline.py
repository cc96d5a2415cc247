"""A limit on how long one request may take."""

import ctypes
import threading
import time
from collections.abc import Mapping

from flask import Flask, g, request

from upholster.config import config

#: Seconds one request may take.
SECONDS = config().request_seconds


class TookTooLong(Exception):
    """The request was stopped, since it took longer than allowed."""


class Deadlines:
    """Stops requests that take too long, by raising `TookTooLong` where they are.

    Parameters
    ----------
    longer : mapping
        Seconds for endpoints that may take longer than others.
    """

    def __init__(self, app: Flask, longer: Mapping[str, float]) -> None:
        self._longer = longer
        self._until: dict[int, float] = {}
        self._lock = threading.Lock()
        app.before_request(self._begin)
        app.teardown_request(self._end)
        threading.Thread(target=self._watch, daemon=True, name="deadlines").start()

    def _begin(self) -> None:
        g.under_deadline = threading.get_ident()
        with self._lock:
            self._until[g.under_deadline] = time.monotonic() + self._longer.get(request.endpoint or "", SECONDS)

    def _end(self, error: BaseException | None) -> None:
        with self._lock:
            self._until.pop(g.pop("under_deadline", 0), None)

    def _watch(self) -> None:
        while True:
            time.sleep(min(0.5, SECONDS / 4))
            with self._lock:
                late = [thread for thread, until in self._until.items() if until < time.monotonic()]
                for thread in late:
                    del self._until[thread]
                    ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(thread), ctypes.py_object(TookTooLong))
