"""What was handed to an encoder, kept small, so that the file can be held against it without keying again.

Of every frame: the matte whole, the colour of one pixel in sixteen, and where a format loses nothing also a
digest of every code value. Made while rendering, gone after the proof.
"""

import hashlib
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np
from imagecodecs import zstd_decode, zstd_encode
from numpy.typing import NDArray

from upholster.core.composite.over import pack_rgba8, premultiply
from upholster.media.decoder.planes import Planes
from upholster.media.delivery import Picture, Plan
from upholster.media.encoder.pixels import scaled

Plane = NDArray[np.float32]

#: Colour is kept of every so many pixels across and down, in pictures that are larger than small.
_EVERY, _SMALL = 4, 320 * 240
#: Steps that mattes and colours are kept in.
STEPS = 65535


class Record(NamedTuple):
    """One frame as it was handed over.

    Attributes
    ----------
    matte : bytes
        What the alpha (or of mattes and flat colours the coverage) must be found to be, compressed.
    shape : (height, width)
    dtype : {"u1", "u2", "f4"}
        The whole code values of the format where they fit into 8 bits, else 16 bits, else floats.
    colours : (3, rows, columns) uint16 or float32
        Straight colour at every `every`-th pixel: 0..1 in `STEPS`, or as it is where a format holds floats.
    digest : bytes
        Of all code values where the format is lossless; else empty.
    damaged : bool
        Whether the plate it was made from is damaged.
    """

    matte: bytes
    shape: tuple[int, int]
    dtype: str
    colours: NDArray[np.uint16] | Plane
    digest: bytes
    damaged: bool = False

    @property
    def every(self) -> int:
        return every(self.shape)

    def colour(self) -> Plane:
        """Straight colour at every `every`-th pixel."""
        if self.colours.dtype == np.float32:
            return self.colours.astype(np.float32, copy=False)
        return self.colours.astype(np.float32) * np.float32(1 / STEPS)

    def cover(self) -> Plane:
        """The matte, 0..1."""
        codes = np.frombuffer(zstd_decode(self.matte), self.dtype).reshape(self.shape)
        return codes if self.dtype == "f4" else codes.astype(np.float32) * np.float32(1 / np.iinfo(self.dtype).max)


def every(shape: tuple[int, ...]) -> int:
    """From one pixel whose colour is kept to the next."""
    return _EVERY if shape[0] * shape[1] > _SMALL else 1


def record(picture: Picture, planned: Plan, damaged: bool = False, *, made_again: bool = False) -> Record:
    """Keep what of a delivered picture is needed to recognise it.

    One that is made again, perhaps on another machine, may be rounded to another code here and there: of it
    no digest is taken, and the matte is kept before rounding.
    """
    form = planned.form
    matte = picture.alpha if form.content == "keyed" else picture.cover
    dtype = "f4" if made_again or form.pixels == "float" else "u1" if form.lossless and form.depth == 8 else "u2"
    step = every(matte.shape)
    kept = matte if dtype == "f4" else scaled(matte, STEPS) if dtype == "u2" else _packed(picture.rgb, matte)[3]
    height, width = matte.shape
    return Record(
        bytes(zstd_encode(np.ascontiguousarray(kept).tobytes(), level=1)),
        (height, width),
        dtype,
        _kept_colours(picture.rgb[:, ::step, ::step], floating=form.pixels == "float"),
        _digest(_handed_over(picture, planned), form.depth) if form.lossless and not made_again else b"",
        damaged,
    )


def _kept_colours(rgb: Plane, *, floating: bool) -> NDArray[np.uint16] | Plane:
    return np.ascontiguousarray(rgb) if floating else scaled(rgb, STEPS)


def digest_found(planes: Planes, planned: Plan) -> bytes:
    """The digest of a frame's code values as they came out of a file."""
    arrays = planes.arrays if planned.form.content == "matte" else [*planes.arrays, planes.alpha]
    return _digest([a for a in arrays if a is not None], planned.form.depth)


def _handed_over(picture: Picture, planned: Plan) -> list[NDArray[np.unsignedinteger]]:
    """Code values by the encoders' own rounding."""
    if planned.form.content == "matte":
        return [scaled(picture.cover, STEPS)]
    rgb = premultiply(picture.rgb, picture.alpha) if planned.delivery.alpha == "premultiplied" else picture.rgb
    if planned.form.depth == 8:
        return list(_packed(rgb, picture.alpha))
    return [scaled(plane, STEPS) for plane in (*rgb, picture.alpha)]


def _packed(rgb: Plane, alpha: Plane) -> NDArray[np.uint8]:
    return pack_rgba8(rgb, alpha).transpose(2, 0, 1)


def _digest(planes: Sequence[NDArray[np.unsignedinteger]], depth: int) -> bytes:
    taken = hashlib.blake2b(digest_size=16)
    for plane in planes:
        taken.update(np.ascontiguousarray(plane, np.uint8 if depth <= 8 else np.uint16).data)
    return taken.digest()


def save_records(path: Path, records: Sequence[Record]) -> None:
    """Keep the records of a run of frames until its file is there to be proved."""
    part = path.with_name(path.name + ".part")
    first = records[0]
    with part.open("wb") as file:
        np.savez(
            file,
            mattes=np.frombuffer(b"".join(r.matte for r in records), np.uint8),
            sizes=np.array([len(r.matte) for r in records]),
            shape=np.array(first.shape),
            dtype=np.array(first.dtype),
            colours=np.stack([r.colours for r in records]),
            digests=np.array([r.digest.hex() for r in records]),
            damaged=np.array([r.damaged for r in records]),
        )
    part.replace(path)


def load_records(path: Path) -> list[Record]:
    """The records of a run of frames."""
    with np.load(path, allow_pickle=False) as kept:
        ends = np.cumsum(kept["sizes"])
        mattes, (height, width), dtype = kept["mattes"].tobytes(), kept["shape"].tolist(), str(kept["dtype"])
        colours, digests, damaged = kept["colours"], kept["digests"], kept["damaged"]
    return [
        Record(mattes[end - size : end], (height, width), dtype, colour, bytes.fromhex(str(digest)), bool(hurt))
        for end, size, colour, digest, hurt in zip(
            ends, np.diff(ends, prepend=0), colours, digests, damaged, strict=True
        )
    ]
