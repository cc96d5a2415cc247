"""How the rest of Upholster reads footage: by asking a decoding child."""

import contextlib
import json
import os
import select
import threading
import time
from collections.abc import Generator, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import numpy as np

from upholster.core.siting import is_centred, residuals
from upholster.media.decoder.children import Child, start_child
from upholster.media.decoder.frames import Frame, to_frame
from upholster.media.decoder.planes import Planes
from upholster.media.decoder.tables import keep_table, known_table
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.limits import SECONDS
from upholster.media.sound import SoundWanted

#: Before which frame a file is looked at for what it leaves unsaid, and at how many.
_EARLY, _LOOKED_AT = 25, 4


class Reader:
    """Footage open for reading; frames are numbered from 0 of its constant rate.

    Parameters
    ----------
    paths
        A video or still, or the pictures of a sequence in order.
    facts
        What is already known, with changes a user made to the colour tags; else what the file itself states.
    table
        Where the table of the file's frames is kept.

    Raises
    ------
    MediaError
        Where the file cannot be read; nothing else escapes, whatever the file holds.
    """

    def __init__(self, paths: Sequence[Path], facts: Facts | None = None, table: Path | None = None) -> None:
        self._paths = [str(p) for p in paths]
        self._table = table
        self._lock = threading.Lock()
        self._child: Child | None = None
        self._buffer = bytearray()
        self._deinterlace = bool(facts and facts.deinterlaced)
        if missing := next((p for p in paths if not p.is_file()), None):
            raise MediaError(f"The file {missing.name} is no longer where it was. Bring it in again.")
        probed = self._start()
        self.facts = facts or probed

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        child, self._child = self._child, None
        if child:
            child.end()

    def frame(self, number: int) -> Frame:
        """One frame as encoded RGB and alpha."""
        (frame,) = self.frames(range(number, number + 1))
        return frame

    def frames(self, numbers: range) -> Generator[Frame]:
        """Frames in order; the child decodes ahead while the caller works."""
        for planes in self.planes(numbers):
            yield to_frame(planes, self.facts)

    def sound(self, wanted: SoundWanted) -> bytes | None:
        """The sound as it is wanted, as a file of its own that begins with the first picture; None without any."""
        with self._lock:
            if self._child is None:
                self._start()
            self._ask({"sound": wanted.model_dump(mode="json")})
            (packed,) = self._frame().arrays
        return packed.tobytes() or None

    def planes(self, numbers: range) -> Generator[Planes]:
        """Code values of frames in order."""
        with self._lock:
            if self._child is None:
                self._start()
            self._ask({"first": numbers.start, "end": numbers.stop, "step": numbers.step})
            whole = False
            try:
                for _ in numbers:
                    yield self._frame()
                whole = True
            finally:
                # Frames nobody wants are still on their way: a new child is cheaper than reading them.
                if not whole:
                    self.close()

    def _start(self) -> Facts:
        self._buffer.clear()
        try:
            self._child = start_child()
        except OSError:
            raise MediaError("The decoder could not be started: the machine is out of memory or processes.") from None
        table = known_table(self._paths, self._table)
        self._ask({"paths": self._paths, "table": table, "deinterlace": self._deinterlace})
        answer = self._answer()
        if answer.get("table"):
            keep_table(self._paths, self._table, answer["table"])
        return Facts.model_validate(answer["facts"])

    def _ask(self, request: dict[str, Any]) -> None:
        assert self._child is not None
        try:
            self._child.requests.write(json.dumps(request).encode() + b"\n")
            self._child.requests.flush()
        except BrokenPipeError:
            self.close()
            raise MediaError("Reading this file stopped short: it is broken or needs too much memory.") from None

    def _answer(self) -> dict[str, Any]:
        deadline = time.monotonic() + SECONDS
        while (end := self._buffer.find(b"\n")) < 0:
            self._read_some(deadline)
        line = bytes(self._buffer[:end])
        del self._buffer[: end + 1]
        answer: dict[str, Any] = json.loads(line)
        if "error" in answer:
            raise MediaError(str(answer["error"]))
        return answer

    def _frame(self) -> Planes:
        answer = self._answer()
        deadline = time.monotonic() + SECONDS
        arrays = []
        for plane in answer["planes"]:
            array = np.empty(plane["shape"], np.dtype(plane["dtype"]))
            self._fill(memoryview(array.data).cast("B"), deadline)
            arrays.append(array)
        alpha = arrays.pop() if answer["alpha"] else None
        return Planes(answer["model"], answer["depth"], arrays, alpha, bool(answer["damaged"]))

    def _fill(self, view: memoryview, deadline: float) -> None:
        have = min(len(self._buffer), len(view))
        view[:have] = self._buffer[:have]
        del self._buffer[:have]
        assert self._child is not None
        descriptor = self._child.answers.fileno()
        while have < len(view):
            self._wait(descriptor, deadline)
            got = os.readv(descriptor, [view[have:]])
            if not got:
                self._died()
            have += got

    def _read_some(self, deadline: float) -> None:
        assert self._child is not None
        descriptor = self._child.answers.fileno()
        self._wait(descriptor, deadline)
        # Small reads: what follows the header goes straight into its array.
        got = os.read(descriptor, 4096)
        if not got:
            self._died()
        self._buffer += got

    def _wait(self, descriptor: int, deadline: float) -> None:
        if not select.select([descriptor], [], [], max(0.0, deadline - time.monotonic()))[0]:
            self.close()
            raise MediaError("Reading this file took too long, so it was stopped. Try a shorter or simpler file.")

    def _died(self) -> None:
        self.close()
        raise MediaError("Reading this file stopped short: it is broken or needs too much memory.")


def probe(paths: Sequence[Path]) -> Facts:
    """Facts of a file or sequence that nothing is known of yet; raises MediaError where it cannot be read."""
    with Reader(paths) as reader:
        facts = reader.facts
        if not facts.sited or facts.colour.siting != "left" or not _is_centred(reader):
            return facts
        return facts.model_copy(update={"colour": facts.colour.model_copy(update={"siting": "center"})})


def _is_centred(reader: Reader) -> bool:
    """Whether a file's first frames show chroma between two columns."""
    end, found = min(reader.facts.length, _EARLY), []
    # What cannot be decoded is said once it is wanted.
    with contextlib.suppress(MediaError):
        for planes in reader.planes(range(0, end, max(1, end // _LOOKED_AT))):
            scale = np.float32(255 / ((1 << planes.depth) - 1))
            found.append(residuals(*(plane.astype(np.float32) * scale for plane in planes.arrays)))
    return is_centred(found)
