"""Mattes computed ahead: one lossless grey picture a frame, kept by what it depends on."""

import threading
from pathlib import Path

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

Plane = NDArray[np.float32]

#: Bytes of mattes kept in memory.
_KEPT = 96 << 20
#: 16 bits: a soft edge keeps its steps.
_TOP = 65535


class Bakes:
    """The mattes in a folder; each is there whole or not at all."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._known: LRUCache[str, Plane] = LRUCache(_KEPT, getsizeof=lambda plane: plane.nbytes)
        self._lock = threading.Lock()

    def path(self, digest: str) -> Path:
        return self._folder / digest[:2] / f"{digest}.png"

    def there(self, digest: str) -> bool:
        return self.path(digest).is_file()

    def read(self, digest: str) -> Plane | None:
        """A matte ``(h, w)`` float32 0..1; None where there is none, or none that can be read."""
        with self._lock:
            known = self._known.get(digest)
        if known is not None:
            return known
        path = self.path(digest)
        if not path.is_file():
            return None
        grey = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
        if grey is None or grey.dtype != np.uint16 or grey.ndim != 2:
            return None
        plane = grey.astype(np.float32) * np.float32(1 / _TOP)
        plane.flags.writeable = False
        with self._lock:
            if plane.nbytes < _KEPT:
                self._known[digest] = plane
        return plane

    def write(self, digest: str, cover: Plane) -> None:
        path = self.path(digest)
        path.parent.mkdir(parents=True, exist_ok=True)
        data = cv2.imencode(".png", np.rint(cover * _TOP).astype(np.uint16), [cv2.IMWRITE_PNG_COMPRESSION, 3])[1]
        part = path.with_suffix(f".{threading.get_ident()}.part")
        part.write_bytes(data.tobytes())
        part.replace(path)
