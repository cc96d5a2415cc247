"""Writing keyed frames to one video file."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import av
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.over import premultiply
from upholster.media.encoder.disk import no_room
from upholster.media.encoder.pixels import FILLERS
from upholster.media.encoder.sound import SoundTrack
from upholster.media.facts import AlphaKind
from upholster.media.formats import Format
from upholster.media.sound import Sound

Plane = NDArray[np.float32]

#: ITU-T H.273 code points: BT.709 primaries, transfer and matrix; RGB has no matrix; sRGB's transfer.
_BT709, _RGB, _SRGB = 1, 0, 13
_LIMITED, _FULL = 1, 2


#: Fills a frame of the format's pixels from straight or premultiplied colour and alpha.
Fill = Callable[[Plane, Plane], Any]


class MovieWriter:
    """A video that grows under a temporary name; `mux` are choices for the container."""

    def __init__(
        self,
        form: Format,
        path: Path,
        width: int,
        height: int,
        rate: Fraction,
        alpha: AlphaKind,
        threads: int,
        *,
        fill: Fill | None = None,
        mux: dict[str, str] | None = None,
        sound: Sound | None = None,
    ) -> None:
        self._form, self._path, self._alpha = form, path, alpha
        self._part = path.with_name(path.name + ".part")
        self._rate, self._count = rate, 0
        try:
            self._container = av.open(str(self._part), "w", format=form.container, container_options=mux or {})
        except OSError as error:
            raise no_room(error) from error
        self._stream = add_video(self._container, form, width, height, rate, threads)
        self._sound = SoundTrack(self._container, sound) if sound else None
        self._fill = fill or FILLERS[form.pixels]

    def write(self, rgb: Plane, alpha: Plane) -> None:
        if self._form.alpha_depth and self._alpha == "premultiplied":
            rgb = premultiply(rgb, alpha)
        frame = self._fill(rgb, alpha)
        _tag(frame, self._form)
        frame.pts, frame.time_base = self._count, 1 / self._rate
        self._count += 1
        self._mux(frame)

    def _mux(self, frame: Any) -> None:
        try:
            self._container.mux(self._stream.encode(frame))
            if self._sound:
                self._sound.until(float(self._count / self._rate) if frame else float("inf"))
        except (OSError, av.FFmpegError) as error:
            raise no_room(error if isinstance(error, OSError) else OSError(str(error))) from error

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        try:
            if error is None:
                self._mux(None)
            self._container.close()
        except OSError as trouble:
            self._part.unlink(missing_ok=True)
            if error is None:
                raise no_room(trouble) from trouble
        if error is None:
            self._part.replace(self._path)
        else:
            self._part.unlink(missing_ok=True)


def add_video(container: Any, form: Format, width: int, height: int, rate: Fraction, threads: int) -> Any:
    """The video stream of `form` in an open output container, tagged with what it holds."""
    stream = container.add_stream(form.codec, rate=rate, options=dict(form.options))
    stream.width, stream.height, stream.pix_fmt = width, height, form.pixels
    stream.time_base = stream.codec_context.time_base = 1 / rate
    context = stream.codec_context
    context.thread_count = threads
    _tag(context, form)
    mark_alpha(stream, form)
    return stream


def _tag(what: Any, form: Format) -> None:
    """State on a codec or a frame how its code values stand for colour; encoders look at either."""
    what.color_primaries = what.color_trc = _BT709
    if form.codec in ("png", "apng"):
        # PNG's colour chunks are believed to the letter, and pictures for screens are sRGB (W3C PNG 3rd ed., 11.3).
        what.color_trc = _SRGB
    component = form.pixels.startswith("yuv")
    what.colorspace, what.color_range = (_BT709, _LIMITED) if component else (_RGB, _FULL)


def mark_alpha(stream: Any, form: Format) -> None:
    """WebM says in its stream metadata that blocks carry alpha (WebM container guidelines)."""
    if form.container == "webm":
        stream.metadata["alpha_mode"] = "1"
