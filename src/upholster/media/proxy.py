"""A small, quickly seekable copy of footage for looking at: one JPEG a frame in one file."""

from pathlib import Path
from types import TracebackType
from typing import Self

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import area
from upholster.media.decoder.frames import Frame

#: Longer side of the small pictures, in pixels.
SIDE = 960
_COLOUR = [
    cv2.IMWRITE_JPEG_QUALITY, 95,
    cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444,
]  # fmt: skip


def fitted(width: int, height: int, side: int = SIDE) -> tuple[int, int]:
    """Size within `side` pixels, never larger than the picture."""
    scale = min(1.0, side / max(width, height))
    return max(1, round(width * scale)), max(1, round(height * scale))


class ProxyWriter:
    """Takes frames in order; the file takes its name when the block ends well."""

    def __init__(self, path: Path, length: int) -> None:
        self._path, self._part = path, path.with_suffix(".part")
        self._ends = np.zeros((length, 2), np.int64)
        self._file = self._part.open("wb")
        self._count = 0

    def write(self, frame: Frame) -> None:
        size = fitted(frame.rgb.shape[2], frame.rgb.shape[1])
        rgb = area(frame.rgb, *size) if size[0] < frame.rgb.shape[2] else frame.rgb
        self._append(0, np.ascontiguousarray(rgb[::-1].transpose(1, 2, 0)))
        if frame.alpha is not None:
            self._append(1, cv2.resize(frame.alpha, size, interpolation=cv2.INTER_AREA))
        else:
            self._ends[self._count, 1] = self._file.tell()
        self._count += 1

    def _append(self, part: int, pixels: NDArray[np.float32]) -> None:
        data = cv2.imencode(".jpg", np.rint(pixels.clip(0, 1) * 255).astype(np.uint8), _COLOUR)[1]
        self._file.write(data.tobytes())
        self._ends[self._count, part] = self._file.tell()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        try:
            with self._file:
                if error is None:
                    self._file.write(self._ends.tobytes())
            if error is None:
                self._part.replace(self._path)
        finally:
            # Not there any more where all went well.
            self._part.unlink(missing_ok=True)


class Proxy:
    """A finished proxy; frames can be read from several threads."""

    def __init__(self, path: Path, length: int) -> None:
        self._data = np.memmap(path, np.uint8, "r")
        #: What it can come to hold in memory.
        self.nbytes = self._data.nbytes
        self._ends = self._data[-length * 16 :].view(np.int64).reshape(length, 2)

    def jpeg(self, number: int) -> bytes:
        """The colour picture as it is stored."""
        start = int(self._ends[number - 1, 1]) if number else 0
        return self._data[start : int(self._ends[number, 0])].tobytes()

    def thumbnail(self, number: int) -> bytes:
        """The colour picture at an eighth of its size, as JPEG."""
        pixels = _decode(np.frombuffer(self.jpeg(number), np.uint8), cv2.IMREAD_REDUCED_COLOR_8)
        return cv2.imencode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, 85])[1].tobytes()

    def frame(self, number: int) -> Frame:
        pixels = _decode(np.frombuffer(self.jpeg(number), np.uint8), cv2.IMREAD_COLOR)
        rgb = np.empty((3, *pixels.shape[:2]), np.float32)
        for plane, target in zip(cv2.split(pixels)[::-1], rgb, strict=True):
            np.multiply(plane, np.float32(1 / 255), out=target)
        start, end = (int(e) for e in self._ends[number])
        alpha = None
        if end > start:
            grey = _decode(np.asarray(self._data[start:end]), cv2.IMREAD_GRAYSCALE)
            alpha = grey.astype(np.float32) * np.float32(1 / 255)
        return Frame(rgb, alpha)


def _decode(data: NDArray[np.uint8], how: int) -> NDArray[np.uint8]:
    pixels = cv2.imdecode(data, how)
    assert pixels is not None, "a proxy holds only pictures of our own"
    return pixels.astype(np.uint8, copy=False)
