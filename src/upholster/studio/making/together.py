"""Several iterators at the same time."""

import threading
from collections.abc import Generator, Iterator, Sequence
from contextlib import suppress
from queue import Full, Queue
from typing import TypeVar

T = TypeVar("T")


def together(sources: Sequence[Iterator[T]]) -> Generator[T, None, None]:
    """What several iterators give, as it comes; each runs in a thread of its own.

    An error of one of them is raised here, and whatever ends this ends all of them.
    """
    came: Queue[T | BaseException | None] = Queue(maxsize=2 * len(sources))
    over = threading.Event()

    def put(item: T | BaseException | None) -> bool:
        while not over.is_set():
            with suppress(Full):
                came.put(item, timeout=0.1)
                return True
        return False

    def run_through(source: Iterator[T]) -> None:
        try:
            for item in source:
                if not put(item):
                    break
            put(None)
        except BaseException as error:
            put(error)
        finally:
            if isinstance(source, Generator):
                source.close()

    threads = [threading.Thread(target=run_through, args=(source,), daemon=True) for source in sources]
    for thread in threads:
        thread.start()
    try:
        going = len(threads)
        while going:
            item = came.get()
            if isinstance(item, BaseException):
                raise item
            if item is None:
                going -= 1
            else:
                yield item
    finally:
        over.set()
        for thread in threads:
            thread.join()
