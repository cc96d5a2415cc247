"""Taking the sound out of a file: as it is, or as fast, as long and in the direction its pictures play."""

import io
from collections.abc import Iterable, Iterator
from fractions import Fraction
from typing import IO, Any

import av
import numpy as np
from av.filter import Graph
from numpy.typing import NDArray

from upholster.media.errors import MediaError
from upholster.media.sound import SoundWanted

Samples = NDArray[np.float32]

#: Containers sound is handed over in: one that keeps the times of packets exactly; for what is made anew and begins
#: with the first picture, one that keeps where its channels are heard.
_COPIED, _ANEW = "nut", "wav"
#: What sound is handed over in where it is made anew: 24 bits, whatever it is encoded with in the end.
_BETWEEN = "pcm_s24le"
#: Samples a second that Opus is encoded at (RFC 6716, section 2).
_OPUS = 48_000
#: Layouts by the number of channels, as FFmpeg's `av_channel_layout_default` has them.
_USUAL = {1: "mono", 2: "stereo", 3: "2.1", 4: "4.0", 5: "5.0", 6: "5.1", 7: "6.1", 8: "7.1"}
#: Seconds by which times of neighbouring packets may be off without there being a gap.
_JITTER = 0.02
#: Most samples of all channels held where sound is played backwards, and samples encoded at a time.
_HELD, _CHUNK = 400_000_000, 4096


def take_sound(path: str | IO[bytes], wanted: SoundWanted) -> bytes:
    """The first sound track of a file as a file of its own that begins with the first picture.

    `path` may be an open file as well. Empty where there is none.

    Raises
    ------
    MediaError
        Where it cannot be read or encoded.
    """
    try:
        with av.open(path) as source:
            if not source.streams.audio:
                return b""
            track = source.streams.audio[0]
            codec = track.codec_context.name
            return _copied(source, track) if wanted.unchanged(codec) else _made_anew(source, track, wanted)
    except (av.FFmpegError, ValueError) as error:
        raise MediaError("The sound of this file cannot be taken along. Deliver without it.") from error


def _first_picture(source: Any) -> Fraction:
    """Seconds at which the first picture stands."""
    video = next(iter(source.streams.video), None)
    return Fraction(0) if video is None or video.start_time is None else video.start_time * video.time_base


def _copied(source: Any, track: Any) -> bytes:
    packed, count, start = io.BytesIO(), 0, _first_picture(source)
    with av.open(packed, "w", format=_COPIED) as target:
        stream = target.add_stream_from_template(track)
        for packet in source.demux(track):
            if packet.size and packet.pts is not None and packet.pts * packet.time_base >= start:
                packet.pts = packet.dts = packet.pts - round(start / packet.time_base)
                packet.stream = stream
                target.mux(packet)
                count += 1
    return packed.getvalue() if count else b""


def _made_anew(source: Any, track: Any, wanted: SoundWanted) -> bytes:
    layout = _layout(track)
    rate = _OPUS if wanted.codec == "libopus" else track.rate
    sound: Iterable[Samples] = _between(source, track, layout, rate, wanted)
    if wanted.backwards:
        sound = _reversed(sound, wanted, rate, track.channels)
    if wanted.tempo != 1:
        sound = _at_tempo(sound, layout, rate, wanted.tempo)
    starts, ends = round(wanted.before * rate), round((wanted.before + wanted.moving) * rate)
    total = round((wanted.before + wanted.moving + wanted.after) * rate)
    packed = io.BytesIO()
    with av.open(packed, "w", format=_ANEW) as target:
        stream = target.add_stream(_BETWEEN, rate=rate, layout=layout)
        written = 0
        pieces = (_silence(track.channels, starts), _exactly(sound, ends - starts, track.channels),
                  _silence(track.channels, total - ends))  # fmt: skip
        for piece in pieces:
            for samples in piece:
                frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples), format="fltp", layout=layout)
                frame.sample_rate, frame.pts, frame.time_base = rate, written, Fraction(1, rate)
                written += samples.shape[1]
                target.mux(stream.encode(frame))
        target.mux(stream.encode(None))
    return packed.getvalue()


def _layout(track: Any) -> str:
    """Where the channels are heard; where a file does not say so, as that many usually are."""
    name = str(track.layout.name)
    return _USUAL.get(track.channels, name) if name.endswith("channels") else name


def _between(source: Any, track: Any, layout: str, rate: int, wanted: SoundWanted) -> Iterator[Samples]:
    """Samples ``(channels, n)`` of the part that is wanted; silence where the file has none."""
    start = _first_picture(source) + wanted.first
    total, done = round((wanted.end - wanted.first) * rate), 0
    resampler = av.AudioResampler(format="fltp", layout=layout, rate=rate)
    if start > 1:
        source.seek(int((start - 1) / track.time_base), stream=track)
    for frame in source.decode(track):
        for same in resampler.resample(frame):
            samples = same.to_ndarray()
            at = round((same.pts * same.time_base - start) * rate) if same.pts is not None else done
            if done and abs(at - done) < _JITTER * rate:
                at = done
            if at > done:
                yield from _silence(samples.shape[0], min(at, total) - done)
                done = min(at, total)
            samples = samples[:, max(0, done - at) : max(0, total - at)]
            if samples.shape[1]:
                yield samples
                done += samples.shape[1]
            if done >= total:
                return


def _silence(channels: int, count: int) -> Iterator[Samples]:
    for first in range(0, count, _CHUNK):
        yield np.zeros((channels, min(_CHUNK, count - first)), np.float32)


def _exactly(sound: Iterable[Samples], count: int, channels: int) -> Iterator[Samples]:
    """So many samples: what is more is cut off, what lacks is silent."""
    done = 0
    for samples in sound:
        samples = samples[:, : count - done]
        if samples.shape[1]:
            yield samples
        done += samples.shape[1]
        if done >= count:
            return
    yield from _silence(channels, count - done)


def _reversed(sound: Iterable[Samples], wanted: SoundWanted, rate: int, channels: int) -> Iterator[Samples]:
    total = round((wanted.end - wanted.first) * rate)
    if total * channels > _HELD:
        raise MediaError("This sound is too long to be played backwards. Deliver without it, or a shorter part.")
    whole = np.concatenate([*_exactly(sound, total, channels)], axis=1)[:, ::-1]
    for first in range(0, total, _CHUNK):
        yield whole[:, first : first + _CHUNK]


def _at_tempo(sound: Iterable[Samples], layout: str, rate: int, tempo: Fraction) -> Iterator[Samples]:
    """Faster or slower at the same pitch, by FFmpeg's filter for it."""
    graph = Graph()
    inlet = graph.add_abuffer(format="fltp", sample_rate=rate, layout=layout, time_base=Fraction(1, rate))
    change = graph.add("atempo", f"{float(tempo):.9f}")
    outlet = graph.add("abuffersink")
    inlet.link_to(change)
    change.link_to(outlet)
    graph.configure()
    given = 0
    for samples in sound:
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples), format="fltp", layout=layout)
        frame.sample_rate, frame.pts, frame.time_base = rate, given, Fraction(1, rate)
        given += samples.shape[1]
        inlet.push(frame)
        yield from _pulled(outlet)
    inlet.push(None)
    yield from _pulled(outlet)


def _pulled(outlet: Any) -> Iterator[Samples]:
    while True:
        try:
            yield outlet.pull().to_ndarray()
        except (av.BlockingIOError, av.EOFError):
            return
