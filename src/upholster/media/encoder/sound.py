"""The sound that goes beside the pictures, packet by packet."""

import io
from collections.abc import Iterator
from typing import Any

import av

from upholster.media.sound import Sound


class SoundTrack:
    """Sound to go into an open output container, packet by packet as the pictures come.

    It is encoded here, beside the pictures: what an encoder puts before the first sample is then known to the
    container, whose players leave it out again.
    """

    def __init__(self, container: Any, sound: Sound) -> None:
        self._container = container
        self._source = av.open(io.BytesIO(sound.packed))
        track = self._source.streams.audio[0]
        if sound.encoder:
            self._stream = container.add_stream(sound.encoder, rate=track.rate, layout=track.layout.name)
            # The finest of what the encoder takes.
            self._stream.format = self._stream.codec_context.codec.audio_formats[-1]
            self._packets = self._encoded(track)
        else:
            self._stream = container.add_stream_from_template(track)
            self._packets = (p for p in self._source.demux(track) if p.size)
        self._waiting = next(self._packets, None)

    def _encoded(self, track: Any) -> Iterator[Any]:
        taken = av.AudioResampler(format=self._stream.format.name)
        for frame in self._source.decode(track):
            for same in taken.resample(frame):
                yield from self._stream.encode(same)
        yield from self._stream.encode(None)

    def until(self, seconds: float) -> None:
        """Write what sounds before `seconds`."""
        while self._waiting is not None and float(self._waiting.pts * self._waiting.time_base) < seconds:
            self._waiting.stream = self._stream
            self._container.mux(self._waiting)
            self._waiting = next(self._packets, None)

    def finish(self) -> None:
        self.until(float("inf"))
        self._source.close()
