"""Putting the parts of a render together without encoding again."""

import hashlib
from collections.abc import Iterable, Sequence
from fractions import Fraction
from pathlib import Path
from zipfile import ZIP_STORED, ZipFile

import av

from upholster.media.encoder.movie import mark_alpha
from upholster.media.encoder.sound import SoundTrack
from upholster.media.formats import Format
from upholster.media.sound import Sound


def join_movies(
    form: Format, parts: Sequence[Path], path: Path, rate: Fraction, sound: Sound | None = None, timecode: str = ""
) -> None:
    """Copy the packets of `parts`, in order, into one file that begins at a timecode; every packet is a frame.

    The file takes its name when it is whole.
    """
    growing = path.with_name(path.name + ".part")
    try:
        with av.open(str(growing), "w", format=form.container) as joined:
            stream, track, count = None, None, 0
            for part in parts:
                with av.open(str(part)) as source:
                    if stream is None:
                        stream = joined.add_stream_from_template(source.streams.video[0])
                        # A template does not bring its tag along, and a wrong one names another codec.
                        stream.codec_context.codec_tag = source.streams.video[0].codec_context.codec_tag
                        stream.time_base = 1 / rate
                        # Matroska and WebM state how long a frame is only where the rate is known.
                        stream.codec_context.framerate = rate
                        mark_alpha(stream, form)
                        if timecode:
                            stream.metadata["timecode"] = timecode
                        track = SoundTrack(joined, sound) if sound else None
                    for packet in source.demux(video=0):
                        if not packet.size:
                            continue
                        packet.stream = stream
                        packet.time_base = 1 / rate
                        packet.pts = packet.dts = count
                        packet.duration = 1
                        count += 1
                        joined.mux(packet)
                        if track:
                            track.until(float(count / rate))
            if track:
                track.finish()
        growing.replace(path)
    finally:
        growing.unlink(missing_ok=True)


def packet_digests(paths: Sequence[Path]) -> list[bytes]:
    """A digest of every video packet of `paths`, in order; alpha that lies beside a packet is part of it."""
    found = []
    for path in paths:
        with av.open(str(path)) as source:
            for packet in source.demux(video=0):
                if packet.size:
                    taken = hashlib.blake2b(bytes(packet), digest_size=16)
                    for beside in packet.iter_sidedata():
                        if beside.data_type == "matroska_block_additional":
                            taken.update(bytes(beside))
                    found.append(taken.digest())
    return found


def zip_files(files: Iterable[tuple[Path, str]], path: Path) -> None:
    """Files under given names in one zip, not compressed: pictures and videos do not shrink further."""
    growing = path.with_name(path.name + ".part")
    try:
        with ZipFile(growing, "w", ZIP_STORED) as archive:
            for file, name in files:
                archive.write(file, name)
        growing.replace(path)
    finally:
        growing.unlink(missing_ok=True)
