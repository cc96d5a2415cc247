"""Video files through FFmpeg's libraries: a table of frames, and any frame by its number."""

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import Matrix, Siting
from upholster.core.stages.take.turn import NARROWEST, WIDEST
from upholster.media.decoder.planes import Planes
from upholster.media.errors import MediaError
from upholster.media.facts import FASTEST, SLOWEST, ColourTags, Facts, untagged
from upholster.media.limits import FRAMES, HOURS, PIXELS

#: Rates footage is shot at; a measured rate within 0.2 % of one is taken to be it.
RATES = [
    *(Fraction(n * 1000, 1001) for n in (24, 30, 60, 120)),
    *(Fraction(n) for n in (8, 10, 12, 15, 18, 24, 25, 30, 48, 50, 60, 100, 120)),
]  # fmt: skip

_MATRICES: dict[int, Matrix] = {1: "bt709", 4: "bt601", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020"}
_PRIMARIES = {1: "bt709", 5: "bt470bg", 6: "smpte170m", 9: "bt2020", 12: "smpte432"}
_TRANSFERS = {
    1: "bt709",
    6: "smpte170m",
    8: "linear",
    13: "srgb",
    14: "bt2020-10",
    15: "bt2020-12",
    16: "pq",
    18: "hlg",
}
# Chroma siting is not exposed by PyAV; MPEG video is sampled at the left (H.264 table E-1 default), JPEG at the centre.
_VPX = {"vp8": "libvpx", "vp9": "libvpx-vp9"}
_CENTRED = ("mjpeg", "jpeg")


class VideoFile:
    """An open video file. Frame numbers are those of the constant rate in `facts`.

    `table` is what `table` gave when the file was opened before.
    """

    def __init__(self, path: str, table: dict[str, list[int]] | None = None) -> None:
        self._path = path
        self._container = self._open()
        self._cursor: tuple[int, Iterator[Any]] | None = None
        self._pts: NDArray[np.int64] | None
        if table:
            self._pts, self._keys = np.array(table["pts"], np.int64), list(table["keys"])
        else:
            self._pts, self._keys = self._demuxed()
        #: Places whose data was found to be damaged.
        self._damaged: set[int] = set()
        first = next(self._decode_from(0), None)
        if first is None:
            raise MediaError("No picture in this file can be decoded. Export it again from where it came.")
        self.facts = self._probe(first)
        self._restart()

    @property
    def table(self) -> dict[str, list[int]] | None:
        """Times and entry points, for the next who opens this file; None where it states no times."""
        return None if self._pts is None else {"pts": self._pts.tolist(), "keys": self._keys}

    def planes(self, frame: int) -> Planes:
        """Code values of frame `frame`."""
        shown = self.facts.shown
        index = shown[frame] if shown else frame
        at, frames = self._cursor or (-1, iter(()))
        if at < 0 or index < at or self._key_before(index) > at:
            at, frames = self._seek(index)
        for decoded in frames:
            place = self._place(decoded, at)
            at = place + 1
            if decoded.is_corrupt:
                self._damaged.add(place)
            if place >= index:
                self._cursor = (at, frames)
                # A frame that could not be decoded at all is stood in for by the next.
                if place > index:
                    self._damaged.add(index)
                return to_planes(decoded)._replace(damaged=self._builds_on_damage(index))
        self._cursor = None
        raise MediaError(f"Frame {frame} of this file cannot be decoded.")

    def _builds_on_damage(self, index: int) -> bool:
        """Whether a frame, or one since the last entry point that it may be built on, is damaged."""
        return bool(self._damaged) and any(self._key_before(index) <= place <= index for place in self._damaged)

    def _open(self) -> Any:
        try:
            container = av.open(self._path, options={"ignore_editlist": "0"})
        except av.FFmpegError:
            raise MediaError(
                "This is not a video, still or sequence Upholster can read, or the file is broken."
            ) from None
        if not container.streams.video:
            kind = "sound only" if container.streams.audio else "no picture"
            raise MediaError(f"This file holds {kind}. Bring in a file with a picture.")
        self._stream = container.streams.video[0]
        context = self._stream.codec_context
        if context is None:
            raise MediaError("The picture in this file is in a codec Upholster cannot read.")
        if context.width * context.height > PIXELS:
            raise MediaError(
                f"The picture is {context.width} by {context.height}; the limit is {PIXELS / 1e6:.0f} million "
                "pixels. Bring in a smaller version."
            )
        self._stream.thread_type = "AUTO"
        context.thread_count = 2
        # FFmpeg's own VP9 decoder drops alpha without a word.
        self._decoder = None
        marks = {k.lower(): v for k, v in self._stream.metadata.items()}
        if context.name in ("vp8", "vp9") and marks.get("alpha_mode") == "1":
            self._decoder = av.CodecContext.create(_VPX[context.name], "r")
        return container

    def _demuxed(self) -> tuple[NDArray[np.int64] | None, list[int]]:
        """Presentation times in order, and which places are entry points."""
        times, keys = [], []
        for packet in self._container.demux(self._stream):
            if packet.size and not packet.is_discard:
                times.append(packet.pts)
                keys.append(packet.is_keyframe)
            if len(times) > FRAMES:
                raise MediaError(f"This file holds more than {FRAMES:,} frames. Bring in a shorter piece.")
        if not times:
            raise MediaError("This file holds no frames. Export it again from where it came.")
        if any(t is None for t in times):
            return None, [0]
        order = np.argsort(np.array(times, np.int64), kind="stable")
        return np.array(times, np.int64)[order], [int(k) for k, n in enumerate(order) if keys[n]] or [0]

    def _restart(self) -> None:
        self._container.close()
        self._container = self._open()
        self._cursor = None

    def _decode_from(self, place: int) -> Iterator[Any]:
        """Frames from an entry point on; some containers cannot go back, so the first one opens anew."""
        if self._pts is None or place == 0:
            self._restart()
        else:
            self._container.seek(int(self._pts[place]), stream=self._stream, backward=True, any_frame=False)
        for packet in self._container.demux(self._stream):
            try:
                decoded = self._decoder.decode(packet) if self._decoder else packet.decode()
            except av.error.EOFError:
                return
            except av.FFmpegError:
                if self._pts is not None and packet.pts is not None:
                    self._damaged.add(int(np.searchsorted(self._pts, packet.pts)))
                continue
            yield from decoded

    def _key_before(self, index: int) -> int:
        return max((k for k in self._keys if k <= index), default=0)

    def _seek(self, index: int) -> tuple[int, Iterator[Any]]:
        if self._pts is None:
            return 0, self._decode_from(0)
        if self._decoder:
            self._decoder.flush_buffers()
        key = self._key_before(index)
        return key, self._decode_from(key)

    def _place(self, decoded: Any, expected: int) -> int:
        """The place of a decoded frame in the table; by counting where there are no times."""
        if self._pts is None or decoded.pts is None:
            return expected
        return int(np.searchsorted(self._pts, decoded.pts))

    def _probe(self, first: Any) -> Facts:
        context, layout = self._stream.codec_context, to_planes(first)
        height, width = first.height, first.width
        count = len(self._pts) if self._pts is not None else sum(1 for _ in self._decode_from(0))
        rate, shown, notes = self._timing(count)
        if first.interlaced_frame:
            notes.append("The footage is interlaced; its fields are taken together as one frame.")
        rotation = int(round(first.rotation)) % 360 if first.rotation else 0
        if rotation in (90, 270):
            height, width = width, height
        return Facts(
            kind="video",
            container=self._container.format.name.split(",")[0],
            codec=context.name,
            width=width,
            height=height,
            length=len(shown) if shown else count,
            rate=rate,
            depth=layout.depth or 32,
            floating=not layout.depth,
            subsampling=_subsampling(layout),
            alpha=layout.alpha is not None,
            alpha_kind="straight" if layout.alpha is not None else "",
            colour=_tags(first, layout, context.name),
            rotation=rotation,
            pixel_aspect=_pixel_aspect(self._stream, rotation),
            sound=_sound(self._container),
            notes=tuple(notes),
            shown=shown,
        )

    def _timing(self, count: int) -> tuple[Fraction, tuple[int, ...] | None, list[str]]:
        stated = self._stream.guessed_rate or self._stream.average_rate
        if stated and not SLOWEST <= stated <= FASTEST:
            stated = None
        if self._pts is None or count < 3:
            return (_known(Fraction(stated)) if stated else Fraction(24)), None, []
        seconds = (self._pts - self._pts[0]) * float(self._stream.time_base)
        steps = np.diff(seconds)
        usual = float(np.median(steps[steps > 0])) if (steps > 0).any() else 1 / 24
        tick = float(self._stream.time_base)
        if not seconds[-1] > 0:
            raise MediaError("All frames of this file have the same time. Export it again from where it came.")
        rate = _known(Fraction((count - 1) / float(seconds[-1])).limit_denominator(100_000))
        rate = min(max(rate, SLOWEST), FASTEST)
        # Times rounded to milliseconds cannot tell 24 from 24000/1001; what the file states can.
        if stated and abs(float(stated / rate) - 1) < 0.001 + 2 * tick / float(seconds[-1]):
            rate = Fraction(stated)
        if np.abs(seconds - np.arange(count) / float(rate)).max() <= 0.5 * usual + tick:
            return rate, None, []
        rate = min(_known(max(Fraction(1 / usual).limit_denominator(1001), SLOWEST)), Fraction(120))
        if seconds[-1] > HOURS * 3600:
            raise MediaError(
                f"This file runs for {seconds[-1] / 3600:.1f} hours; the limit is {HOURS:g}. Bring in a shorter piece."
            )
        length = max(1, round((seconds[-1] + usual) * float(rate)))
        if length > FRAMES:
            raise MediaError(
                f"At its {float(rate):.5g} frames a second this file has {length:,} frames; the limit is {FRAMES:,}. "
                "Bring in a shorter piece."
            )
        shown = np.searchsorted(seconds, (np.arange(length) + 0.5) / float(rate)) - 1
        note = (
            f"The rate of this file varies; it was brought to a constant {float(rate):.5g} frames a second by "
            "repeating or leaving out frames."
        )
        return rate, tuple(np.clip(shown, 0, count - 1).tolist()), [note, *_gaps(seconds, usual, float(rate))]


def _gaps(seconds: NDArray[np.float64], usual: float, rate: float) -> list[str]:
    """What to say of places where nothing is shown for much longer than a frame."""
    steps = np.diff(seconds)
    places = np.flatnonzero(steps > max(10 * usual, 1.0))
    notes = [
        f"Nothing is recorded for {steps[place]:.1f} s after frame {round(seconds[place] * rate)}; it is held so long."
        for place in places[:3]
    ]
    if len(places) > 3:
        notes.append(f"There are {len(places) - 3} more such gaps.")
    return notes


def _pixel_aspect(stream: Any, rotation: int) -> float:
    """Width of a pixel over its height, after turning; 1 where the file says nothing that can be meant."""
    stated = stream.sample_aspect_ratio
    if not stated or not NARROWEST <= stated <= WIDEST:
        return 1.0
    return round(float(1 / stated if rotation in (90, 270) else stated), 6)


def _sound(container: Any) -> str:
    tracks = container.streams.audio
    return tracks[0].codec_context.name if tracks and tracks[0].codec_context else ""


def _known(rate: Fraction) -> Fraction:
    """The usual rate a measured one is meant to be, or itself."""
    nearest = min(RATES, key=lambda r: abs(r - rate))
    return nearest if abs(nearest / rate - 1) < Fraction(2, 1000) and nearest != rate else rate


def _tags(first: Any, layout: Planes, codec: str) -> ColourTags:
    if layout.model != "yuv":
        return ColourTags(
            matrix="bt709",
            range="full",
            transfer=_TRANSFERS.get(first.color_trc, "srgb"),
            primaries="bt709",
            tagged=True,
        )
    matrix = _MATRICES.get(first.colorspace)
    siting: Siting = "center" if codec in _CENTRED else "left"
    full = first.color_range == 2 or first.format.name.startswith("yuvj")
    return ColourTags(
        matrix=matrix or untagged(first.height, first.width),
        range="full" if full else "limited",
        siting=siting,
        transfer=_TRANSFERS.get(first.color_trc, "bt709"),
        primaries=_PRIMARIES.get(first.color_primaries, "bt709"),
        tagged=matrix is not None,
    )


def _subsampling(layout: Planes) -> str:
    if layout.model != "yuv":
        return ""
    y, c = layout.arrays[0].shape, layout.arrays[1].shape
    across, down = round(y[1] / c[1]), round(y[0] / c[0])
    return {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0", (4, 1): "4:1:1"}.get((across, down), "")


#: Formats whose planes are read as they are; all others are first brought to one of these.
_PACKED = {
    "rgb24": "RGB", "bgr24": "BGR", "rgba": "RGBA", "bgra": "BGRA", "argb": "ARGB", "abgr": "ABGR",
    "rgb0": "RGB0", "bgr0": "BGR0", "0rgb": "0RGB", "0bgr": "0BGR",
    "rgb48le": "RGB", "rgb48be": "RGB", "rgba64le": "RGBA", "rgba64be": "RGBA",
    "gray": "Y", "gray10le": "Y", "gray12le": "Y", "gray16le": "Y", "gray16be": "Y", "ya8": "YA", "ya16be": "YA",
    "ya16le": "YA",
}  # fmt: skip


def to_planes(frame: Any) -> Planes:
    """A decoded frame's code values, without any change of precision for the usual formats."""
    name = frame.format.name
    if name in _PACKED:
        return _packed(frame, _PACKED[name])
    planar = name.startswith(("yuv4", "yuvj4", "yuva4", "gbrp", "gbrap")) and not name.endswith("be")
    if not planar:
        frame = frame.reformat(format=_nearest(frame.format))
        return to_planes(frame)
    depth = frame.format.components[0].bits
    floating = "f32" in name
    dtype = np.dtype("<f4") if floating else np.dtype("u1" if depth == 8 else "<u2")
    arrays = [_plane(p, dtype) for p in frame.planes]
    model = "yuv" if name.startswith("yuv") else "rgb"
    colours = arrays[:3] if model == "yuv" else [arrays[2], arrays[0], arrays[1]]
    return Planes(model, 0 if floating else depth, colours, arrays[3] if len(arrays) > 3 else None)


def _nearest(form: Any) -> str:
    same = {
        "nv12": "yuv420p", "nv21": "yuv420p", "nv16": "yuv422p", "nv24": "yuv444p", "p010le": "yuv420p10le",
        "p210le": "yuv422p10le", "yuyv422": "yuv422p", "uyvy422": "yuv422p", "pal8": "rgba",
        "y210le": "yuv422p10le", "p016le": "yuv420p16le",
    }  # fmt: skip
    alpha = any(c.is_alpha for c in form.components)
    if form.name in same:
        return same[form.name]
    if form.is_rgb or form.name.startswith(("gray", "mono")):
        return "rgba64le" if alpha else "rgb48le"
    return "yuva444p16le" if alpha else "yuv444p16le"


def _plane(plane: Any, dtype: np.dtype[Any]) -> NDArray[Any]:
    rows = np.frombuffer(plane, dtype).reshape(plane.height, plane.line_size // dtype.itemsize)
    return rows[:, : plane.width]


def _packed(frame: Any, order: str) -> Planes:
    bits = frame.format.components[0].bits
    kind = ">u2" if frame.format.name.endswith("be") else "<u2"
    dtype = np.dtype("u1" if bits == 8 else kind)
    plane = frame.planes[0]
    rows = np.frombuffer(plane, dtype).reshape(plane.height, plane.line_size // dtype.itemsize)
    pixels = rows[:, : plane.width * len(order)].reshape(plane.height, plane.width, len(order))
    part = {c: pixels[..., k].astype(dtype.newbyteorder("=")) for k, c in enumerate(order)}
    colours = [part["Y"]] if "Y" in part else [part[c] for c in "RGB"]
    return Planes("grey" if "Y" in part else "rgb", bits, colours, part.get("A"))
