"""A small moving picture with alpha for lists, as every browser plays it: WebM VP9."""

from collections.abc import Iterable
from fractions import Fraction
from itertools import islice
from pathlib import Path

from upholster.core.delivery.sizing import resized
from upholster.media.delivery import Picture
from upholster.media.encoder.writer import Writer, open_writer
from upholster.media.formats import FORMATS
from upholster.media.proxy import fitted

#: Longer side in pixels, and the most frames kept.
SIDE, FRAMES = 480, 240


def write_preview(path: Path, pictures: Iterable[Picture], rate: Fraction) -> None:
    """Shrink delivered pictures into `path`."""
    writer: Writer | None = None
    form = FORMATS["vp9"]
    quick = {"deadline": "realtime", "cpu-used": "7", "crf": "28"}
    for rgb, alpha, _ in islice(pictures, FRAMES):
        width, height = fitted(alpha.shape[1], alpha.shape[0], SIDE)
        if writer is None:
            writer = open_writer(
                form, path, width=width, height=height, rate=rate, alpha="straight", options=quick
            ).__enter__()
        writer.write(*resized(rgb, alpha, width, height))
    if writer is not None:
        writer.__exit__(None, None, None)
