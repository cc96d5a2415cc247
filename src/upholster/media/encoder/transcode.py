"""Encoding once more what was kept lossless, for formats whose parts cannot be joined."""

from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.over import pack_rgba8
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Delivery, Plan
from upholster.media.encoder import bit_rate
from upholster.media.encoder.avif import write_avif
from upholster.media.encoder.join import join_movies
from upholster.media.encoder.movie import MovieWriter
from upholster.media.encoder.pixels import palette_of, with_palette
from upholster.media.errors import MediaError
from upholster.media.formats import Format
from upholster.media.sound import Sound

Plane = NDArray[np.float32]

#: Pictures of a clip that its palette is taken from, and pixels of each.
_LOOKED_AT, _PIXELS = 16, 40_000


def transcode(
    planned: Plan,
    parts: Sequence[Path],
    path: Path,
    *,
    sound: Sound | None = None,
    threads: int = 1,
    progress: Callable[[int], None] = lambda done: None,
) -> None:
    """Encode the pictures of lossless `parts`, in order, into one file of the planned format."""
    form = planned.form
    if form.codec == "avif":
        pictures = _packed(parts, progress)
        count, rate = planned.timing.frames, planned.timing.rate
        write_avif(pictures, count, rate, path, quality=int(form.options["quality"]), threads=threads)
        return
    if form.bitrate:
        _within(planned, parts, path, sound, threads, progress)
        return
    _movie(planned, form.options | codec_options(form, planned.delivery), parts, path, sound, threads, progress)


def _movie(
    planned: Plan,
    options: dict[str, str],
    parts: Sequence[Path],
    path: Path,
    sound: Sound | None,
    threads: int,
    progress: Callable[[int], None],
) -> None:
    form = planned.form._replace(options=options)
    fill = None
    if form.pixels == "pal8":
        clear = planned.delivery.palette - 1
        fill = with_palette(palette_of(_sample(parts, planned.timing.frames), clear), clear)
    writer = MovieWriter(
        form, path, planned.width, planned.height, planned.timing.rate, "straight", threads, fill=fill,
        mux=mux_options(form, planned.delivery), sound=sound,
    )  # fmt: skip
    with writer:
        for done, (rgb, alpha) in enumerate(_pictures(parts), 1):
            writer.write(rgb, alpha)
            progress(done)


def _within(
    planned: Plan,
    parts: Sequence[Path],
    path: Path,
    sound: Sound | None,
    threads: int,
    progress: Callable[[int], None],
) -> None:
    """Encode the pictures within a bit rate; the sound comes on top."""
    form, seconds = planned.form, planned.timing.frames / planned.timing.rate
    rate = planned.delivery.bitrate or form.bitrate or 0

    def encode(quality: int, to: Path) -> None:
        _movie(planned, form.options | {"crf": str(quality)}, parts, to, None, threads, progress)

    def keep(best: Path) -> None:
        join_movies(form, [best], path, planned.timing.rate, sound)

    try:
        bit_rate.encode_within(int(rate * 125 * seconds), encode, keep, path)
    except bit_rate.TooSmall as error:
        raise MediaError(
            f"This clip does not fit into {rate} kilobits a second at {planned.width}x{planned.height}: it takes "
            f"{error.least / 125 / float(seconds):.0f}. Choose a smaller size or a higher rate."
        ) from None


def codec_options(form: Format, delivery: Delivery) -> dict[str, str]:
    """What a delivery asks of the encoder."""
    if form.codec != "libx264":
        return {}
    if delivery.bitrate is None:
        return {"crf": "15"}
    rate = f"{delivery.bitrate}k"
    return {"b": rate, "maxrate": rate, "bufsize": rate}


def mux_options(form: Format, delivery: Delivery) -> dict[str, str]:
    """What a delivery asks of the container."""
    match form.container:
        case "mp4":
            return {"movflags": "+faststart"}
        case "gif":
            # The extension that GIF players know counts repeats, and its absence is "once".
            return {"loop": {0: "0", 1: "-1"}.get(delivery.loop, str(delivery.loop - 1))}
        case "apng":
            return {"plays": str(delivery.loop)}
        case "webp":
            return {"loop": str(delivery.loop)}
    return {}


def _pictures(parts: Sequence[Path]) -> Iterator[tuple[Plane, Plane]]:
    """Straight colour and alpha, in order."""
    for part in parts:
        with Reader([part]) as reader:
            for frame in reader.frames(range(reader.facts.length)):
                assert frame.alpha is not None, "parts are kept with alpha"
                yield frame.rgb, frame.alpha


def _packed(parts: Sequence[Path], progress: Callable[[int], None]) -> Iterator[NDArray[np.uint8]]:
    """The same as straight 8-bit RGBA."""
    for done, (rgb, alpha) in enumerate(_pictures(parts), 1):
        yield pack_rgba8(rgb, alpha)
        progress(done)


def _sample(parts: Sequence[Path], count: int) -> NDArray[np.uint8]:
    every = max(1, count // _LOOKED_AT)
    found = []
    for number, (rgb, alpha) in enumerate(_pictures(parts)):
        if number % every == 0:
            pixels = pack_rgba8(rgb, alpha)
            shown = pixels[pixels[..., 3] > 0][:, :3]
            found.append(shown[:: max(1, len(shown) // _PIXELS)])
    return np.concatenate(found) if found else np.zeros((0, 3), np.uint8)
