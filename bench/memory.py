"""What a process holds that delivers two fittings at once, as a worker does: `.venv/bin/python -m bench.memory`.

With one heap for all threads, as `upholster.memory` asks for, and with a heap for each; each in a process of its own,
with the time it took.
"""

import ctypes
import resource
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from bench.fittings import rendered

from upholster.memory import MMAP_THRESHOLD, TRIM_THRESHOLD, keep_freed_memory

_WAYS = {"one": "one heap for all", "each": "a heap for each thread"}
_LENGTHS = 96, 97
_ROUNDS = 2


def delivered(way: str) -> None:
    """Deliver in two threads, and print seconds and MiB."""
    if way == "one":
        keep_freed_memory()
    else:
        library = ctypes.CDLL(None)
        for option in (TRIM_THRESHOLD, MMAP_THRESHOLD):
            library.mallopt(option, 1 << 30)
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(2) as pool:
        began = time.perf_counter()
        for _ in range(_ROUNDS):
            list(pool.map(rendered, [Path(folder)] * 2, _LENGTHS))
        took = time.perf_counter() - began
    print(took, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10)


def main() -> None:
    if sys.argv[1:]:
        delivered(sys.argv[1])
        return
    for way, words in _WAYS.items():
        asked = [sys.executable, "-m", "bench.memory", way]
        said = subprocess.run(asked, capture_output=True, text=True, check=True).stdout
        took, held = said.split()
        print(f"{words:24}{float(took):6.1f} s{int(held):8} MiB at most")


if __name__ == "__main__":
    main()
