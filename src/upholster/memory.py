"""How this process keeps memory: freed pictures stay at hand for the next frame.

By default the C library gives every large array back to the kernel, which clears it anew a moment
later; at picture sizes that costs more than some stages of the key.
"""

import ctypes

#: glibc malloc.h
TRIM_THRESHOLD, MMAP_THRESHOLD, ARENA_MAX = -1, -3, -8


def keep_freed_memory() -> None:
    """Ask glibc to reuse large blocks, whichever thread freed them; elsewhere nothing happens."""
    library = ctypes.CDLL(None)
    if hasattr(library, "mallopt"):
        library.mallopt(MMAP_THRESHOLD, 1 << 30)
        library.mallopt(TRIM_THRESHOLD, 1 << 30)
        # Threads otherwise have heaps of their own, in parts of 64 MiB of which a large picture fills half.
        library.mallopt(ARENA_MAX, 1)
