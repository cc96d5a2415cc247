"""Which frames are measured first."""

from collections.abc import Iterable, Iterator

#: Frames to either side of the playhead that come first.
_AROUND = 12


def wanted_first(frames: Iterable[int], playhead: int) -> Iterator[int]:
    """Frames in the order they are wanted: round the playhead, then all over the clip, coarse to fine."""
    missing = set(frames)
    if not missing:
        return
    near = sorted((n for n in missing if abs(n - playhead) <= _AROUND), key=lambda n: (abs(n - playhead), n))
    yield from near
    missing.difference_update(near)
    stride = 64
    while missing:
        some = sorted(n for n in missing if n % stride == 0)
        yield from some
        missing.difference_update(some)
        stride = max(1, stride // 2)
