"""Putting the parts of a render together without encoding again."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from zipfile import ZIP_STORED, ZipFile

import av

from upholster.media.formats import Format
from upholster.media.writer import mark_alpha


def join_movies(form: Format, parts: Sequence[Path], path: Path, rate: Fraction) -> None:
    """Copy the packets of `parts`, in order, into one file; every packet is a frame.

    The file takes its name when it is whole.
    """
    growing = path.with_name(path.name + ".part")
    try:
        with av.open(str(growing), "w", format=form.container) as joined:
            stream, count = None, 0
            for part in parts:
                with av.open(str(part)) as source:
                    if stream is None:
                        stream = joined.add_stream_from_template(source.streams.video[0])
                        stream.time_base = 1 / rate
                        mark_alpha(stream, form)
                    for packet in source.demux(video=0):
                        if not packet.size:
                            continue
                        packet.stream = stream
                        packet.time_base = 1 / rate
                        packet.pts = packet.dts = count
                        packet.duration = 1
                        count += 1
                        joined.mux(packet)
        growing.replace(path)
    finally:
        growing.unlink(missing_ok=True)


def zip_pictures(pictures: Sequence[Path], path: Path) -> None:
    """Numbered pictures in one uncompressed zip: PNG does not shrink further."""
    growing = path.with_name(path.name + ".part")
    try:
        with ZipFile(growing, "w", ZIP_STORED) as archive:
            for picture in pictures:
                archive.write(picture, f"{path.stem}/{path.stem}.{picture.name}")
        growing.replace(path)
    finally:
        growing.unlink(missing_ok=True)
