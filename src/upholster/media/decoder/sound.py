"""Taking the sound out of a file as it is."""

import io

import av

from upholster.media.errors import MediaError


def pack_sound(path: str, first: float, end: float) -> bytes:
    """Packets of the first sound track that begin within `first`..`end` seconds, as a Matroska file.

    Times are moved so that `first` is nought. Empty where nothing sounds.
    """
    packed = io.BytesIO()
    count = 0
    try:
        with av.open(path) as source, av.open(packed, "w", format="matroska") as target:
            if not source.streams.audio:
                return b""
            track = source.streams.audio[0]
            stream = target.add_stream_from_template(track)
            for packet in source.demux(track):
                if not packet.size or packet.pts is None:
                    continue
                at = float(packet.pts * packet.time_base)
                if not first <= at < end:
                    continue
                moved = packet.pts - round(first / float(packet.time_base))
                packet.pts = packet.dts = max(0, moved)
                packet.stream = stream
                target.mux(packet)
                count += 1
    except av.FFmpegError as error:
        raise MediaError("The sound of this file cannot be passed through. Deliver without it.") from error
    return packed.getvalue() if count else b""
