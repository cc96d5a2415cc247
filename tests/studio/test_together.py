"""Several iterators at once: all that they give, their errors, and an end that ends them."""

import threading
from collections.abc import Iterator

import pytest

from upholster.studio.making.together import together


def test_all_that_they_give_comes_each_in_its_order() -> None:
    found = list(together([iter(range(50)), iter(range(100, 130)), iter(())]))
    assert sorted(found) == [*range(50), *range(100, 130)]
    assert [n for n in found if n < 100] == list(range(50))


def test_an_error_of_one_is_raised_and_ends_the_others() -> None:
    closed = threading.Event()

    def endless() -> Iterator[int]:
        try:
            while True:
                yield 1
        finally:
            closed.set()

    def failing() -> Iterator[int]:
        yield 2
        raise ValueError("no more of this")

    with pytest.raises(ValueError, match="no more of this"):
        list(together([endless(), failing()]))
    assert closed.wait(5)


def test_whoever_stops_early_leaves_nothing_running() -> None:
    before = threading.active_count()
    both = together([iter(range(10_000)), iter(range(10_000))])
    next(both)
    both.close()
    assert threading.active_count() == before
