"""How the hot loops are compiled, and how one picture is shared between threads.

Kernels take row ranges: ``kernel(*arrays, first_row, end_row)``. They release the GIL, so row
bands of one interactive picture can run on a thread pool, while renders, which already work on
several frames at a time, leave each picture whole.
"""

import os
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache
from typing import Any

import numba

# No "nnan" and no "ninf": a stray value that is no number must stay visible to the clamps below it.
FAST = {"nsz", "contract", "reassoc", "arcp", "afn"}

compiled = numba.njit(nogil=True, cache=True, error_model="numpy", fastmath=FAST)
inlined = numba.njit(inline="always", cache=True, error_model="numpy", fastmath=FAST)


@inlined
def clamped(value, top):
    """`value` within 0..`top`; what is no number is 0."""
    low = value if value > 0.0 else 0.0
    return low if low < top else top


_bands: ContextVar[int] = ContextVar("bands", default=1)


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(os.cpu_count() or 1, thread_name_prefix="band")


@contextmanager
def row_bands(count: int | None = None) -> Iterator[None]:
    """Within this block, pictures are worked on in `count` row bands at a time (default: one a core)."""
    token = _bands.set(count or os.cpu_count() or 1)
    try:
        yield
    finally:
        _bands.reset(token)


def over_rows(kernel: Callable[..., None], height: int, *args: Any) -> None:
    """Run ``kernel(*args, first_row, end_row)`` over all rows, in the bands in force."""
    bands = min(_bands.get(), max(1, height // 32))
    if bands == 1:
        kernel(*args, 0, height)
        return
    edges = [height * k // bands for k in range(bands + 1)]
    others = [_pool().submit(kernel, *args, first, end) for first, end in zip(edges[1:], edges[2:], strict=False)]
    # To wake a thread takes as long as a small kernel does.
    kernel(*args, edges[0], edges[1])
    for job in others:
        job.result()
