"""Video files through FFmpeg's libraries: a table of frames, and any frame by its number."""

from collections.abc import Iterator
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from upholster.media.decoder.code_values import to_planes
from upholster.media.decoder.fields import deinterlaced
from upholster.media.decoder.planes import Planes
from upholster.media.decoder.stream_facts import (
    colour_tags,
    converted,
    pixel_aspect,
    sound_codec,
    subsampling,
    timecode,
    timing,
)
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.limits import FRAMES, PIXELS

_VPX = {"vp8": "libvpx", "vp9": "libvpx-vp9"}


class VideoFile:
    """An open video file. Frame numbers are those of the constant rate in `facts`.

    `table` is what `table` gave when the file was opened before.
    """

    def __init__(self, path: str, table: dict[str, list[int]] | None = None, *, deinterlace: bool = False) -> None:
        self._path, self._deinterlace = path, deinterlace
        #: Frames around the one asked for last, by their places.
        self._around: dict[int, Any] = {}
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
        picture = self._parted(index) if self._deinterlace else self._picture(index)
        return to_planes(picture)._replace(damaged=self._builds_on_damage(index))

    def _parted(self, index: int) -> Any:
        """A frame whose fields are brought to one moment."""
        last = self.facts.length - 1 if self._pts is None else len(self._pts) - 1
        places = range(max(0, index - 1), min(last, index + 1) + 1)
        self._around = {n: self._around.get(n) or self._picture(n) for n in places}
        return deinterlaced(list(self._around.values()), index - places.start)

    def _picture(self, index: int) -> Any:
        """The decoded frame at a place."""
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
                return decoded
        self._cursor = None
        raise MediaError(f"Frame {index} of this file cannot be decoded.")

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
        rate, shown, notes = timing(self._stream, self._pts, count)
        colours = colour_tags(first, layout, context.name)
        said = converted(colours)
        notes += [said] if said else []
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
            subsampling=subsampling(layout),
            alpha=layout.alpha is not None,
            alpha_kind="straight" if layout.alpha is not None else "",
            colour=colours,
            converted=bool(said),
            interlaced=bool(first.interlaced_frame),
            rotation=rotation,
            pixel_aspect=pixel_aspect(self._stream, rotation),
            timecode=timecode(self._container),
            sound=sound_codec(self._container),
            notes=tuple(notes),
            shown=shown,
        )
