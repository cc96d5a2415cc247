"""How this process keeps memory: freed pictures stay at hand for the next frame.

By default the C library gives every large array back to the kernel, which clears it anew a moment
later; at picture sizes that costs more than some stages of the key.
"""

import ctypes

#: glibc malloc.h
_TRIM_THRESHOLD, _MMAP_THRESHOLD = -1, -3


def keep_freed_memory() -> None:
    """Ask glibc to reuse large blocks; elsewhere nothing happens."""
    library = ctypes.CDLL(None)
    if hasattr(library, "mallopt"):
        library.mallopt(_MMAP_THRESHOLD, 1 << 30)
        library.mallopt(_TRIM_THRESHOLD, 1 << 30)
