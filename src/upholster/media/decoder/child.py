"""The decoding child: one file or sequence, asked for frames over its standard streams.

Requests are JSON lines. An answer is a JSON line, then the bytes of the planes it announces.
Nothing of the answer is trusted to be more than numbers: it is never unpickled or evaluated.
"""

import json
import os
import sys
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from upholster.media.decoder.animation import Animation, kind_of
from upholster.media.decoder.planes import Planes
from upholster.media.decoder.sandbox import confine
from upholster.media.decoder.sound import take_sound
from upholster.media.decoder.sound_file import SoundFile, is_sound
from upholster.media.decoder.stills import SUFFIXES, open_still
from upholster.media.decoder.video import VideoFile
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.sequences import number_of
from upholster.media.sound import SoundWanted


class Sequence:
    """Numbered pictures of one size, opened one at a time."""

    def __init__(self, paths: list[Path]) -> None:
        self._paths = paths
        _, first = open_still(paths[0])
        kind = "still" if len(paths) == 1 else "sequence"
        numbered = {
            "kind": kind,
            "length": len(paths),
            "first_number": number_of(paths[0]) if kind == "sequence" else 0,
        }
        self.facts = first.model_copy(update=numbered)

    def planes(self, frame: int) -> Planes:
        planes, facts = open_still(self._paths[frame])
        if (facts.width, facts.height) != (self.facts.width, self.facts.height):
            raise MediaError(f"Picture {frame} of the sequence has another size than the first.")
        return planes


Source = VideoFile | Sequence | Animation | SoundFile


def _open(paths: list[Path], table: dict[str, list[int]] | None, deinterlace: bool) -> Source:
    if len(paths) == 1 and kind_of(paths[0]):
        return Animation(paths[0])
    if len(paths) == 1 and is_sound(paths[0]):
        return SoundFile(paths[0])
    if len(paths) > 1 or paths[0].suffix.lower() in SUFFIXES:
        return Sequence(paths)
    return VideoFile(str(paths[0]), table, deinterlace=deinterlace)


def _send(out: BinaryIO, answer: dict[str, Any], planes: Planes | None = None) -> None:
    arrays = [] if planes is None else [*planes.arrays, *([planes.alpha] if planes.alpha is not None else [])]
    arrays = [np.ascontiguousarray(a) for a in arrays]
    if planes is not None:
        answer |= {"model": planes.model, "depth": planes.depth, "alpha": planes.alpha is not None}
        answer["damaged"] = planes.damaged
    answer["planes"] = [{"shape": a.shape, "dtype": a.dtype.str} for a in arrays]
    out.write(json.dumps(answer).encode() + b"\n")
    for array in arrays:
        out.write(array.data)
    out.flush()


def main() -> None:
    # Pictures on somebody's screen come before decoding ahead.
    os.nice(5)
    requests, out = os.fdopen(0, "rb", closefd=False), os.fdopen(1, "wb", closefd=False)
    source: Source | None = None
    facts: Facts | None = None
    request_path = ""
    for line in requests:
        request = json.loads(line)
        try:
            if source is None:
                paths = [Path(p) for p in request["paths"]]
                request_path = request["paths"][0]
                confine(paths)
                table = request.get("table")
                source = _open(paths, table, bool(request.get("deinterlace")))
                facts = source.facts
                made = source.table if isinstance(source, VideoFile) and table is None else None
                _send(out, {"facts": facts.model_dump(mode="json"), "table": made})
                continue
            if "sound" in request:
                packed = np.frombuffer(take_sound(request_path, SoundWanted.model_validate(request["sound"])), np.uint8)
                _send(out, {}, Planes("grey", 8, [packed], None))
                continue
            for frame in range(request["first"], request["end"], request.get("step", 1)):
                _send(out, {"frame": frame}, source.planes(frame))
        except MediaError as error:
            _send(out, {"error": str(error)})
        except MemoryError:
            _send(out, {"error": "Reading this file takes more memory than is allowed."})
        except Exception as error:  # a child must answer whatever a hostile file does to a decoder
            print(repr(error), file=sys.stderr)
            _send(out, {"error": "This file is broken or of a kind Upholster cannot read."})
