"""The sound that goes beside the pictures, packet by packet."""

import io
from collections.abc import Iterator
from typing import Any

import av


class SoundTrack:
    """Sound to go into an open output container, packet by packet as the pictures come.

    Parameters
    ----------
    packed : bytes
        The sound alone, in time with the first picture, as `Reader.sound` gives it.
    """

    def __init__(self, container: Any, packed: bytes) -> None:
        self._container = container
        self._source = av.open(io.BytesIO(packed))
        self._stream = container.add_stream_from_template(self._source.streams.audio[0])
        self._packets: Iterator[Any] = (p for p in self._source.demux(audio=0) if p.size)
        self._waiting = next(self._packets, None)

    def until(self, seconds: float) -> None:
        """Write what sounds before `seconds`."""
        while self._waiting is not None and float(self._waiting.pts * self._waiting.time_base) < seconds:
            self._waiting.stream = self._stream
            self._container.mux(self._waiting)
            self._waiting = next(self._packets, None)

    def finish(self) -> None:
        self.until(float("inf"))
        self._source.close()
