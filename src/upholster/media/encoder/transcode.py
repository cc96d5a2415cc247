"""Encoding once more what was kept lossless, for formats whose parts cannot be joined."""

from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.over import pack_rgba8
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Delivery, Plan
from upholster.media.encoder.movie import MovieWriter
from upholster.media.encoder.pixels import palette_of, with_palette
from upholster.media.formats import Format
from upholster.media.sound import Sound

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
    form = form._replace(options=form.options | codec_options(form, planned.delivery))
    fill = None
    if form.pixels == "pal8":
        clear = planned.delivery.palette - 1
        fill = with_palette(palette_of(_sample(parts, planned.timing.frames), clear), clear)
    writer = MovieWriter(
        form, path, planned.width, planned.height, planned.timing.rate, "straight", threads, fill=fill,
        mux=mux_options(form, planned.delivery), sound=sound,
    )  # fmt: skip
    with writer:
        for done, frame in enumerate(_pictures(parts), 1):
            alpha = frame.alpha
            assert alpha is not None, "parts are kept with alpha"
            writer.write(frame.rgb, alpha)
            progress(done)


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


def _pictures(parts: Sequence[Path]) -> Iterator[Frame]:
    for part in parts:
        with Reader([part]) as reader:
            yield from reader.frames(range(reader.facts.length))


def _sample(parts: Sequence[Path], count: int) -> NDArray[np.uint8]:
    every = max(1, count // _LOOKED_AT)
    found = []
    for number, frame in enumerate(_pictures(parts)):
        if number % every == 0 and frame.alpha is not None:
            pixels = pack_rgba8(frame.rgb, frame.alpha)
            shown = pixels[pixels[..., 3] > 0][:, :3]
            found.append(shown[:: max(1, len(shown) // _PIXELS)])
    return np.concatenate(found) if found else np.zeros((0, 3), np.uint8)
