"""Masks for a plate from footage that is a matte: grey pictures, or a clip with alpha."""

from collections.abc import Iterator
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.masks import Mask
from upholster.core.masks.from_mattes import from_mattes
from upholster.media.decoder.reader import Reader
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.studio.making.keying import Footage

Plane = NDArray[np.float32]


def masks_from(mattes: Footage, plate: Facts) -> list[Mask]:
    """Masks that cover what the mattes do; the first of their frames is the plate's first.

    Raises
    ------
    MediaError
        Where they are of another size than the plate, or nothing can be made of them.
    """
    facts = mattes.facts
    if (facts.width, facts.height) != (plate.width, plate.height):
        raise MediaError(
            f"The mattes are {facts.width}x{facts.height}, the plate is {plate.width}x{plate.height}. "
            "Bring in mattes of the plate's size."
        )
    try:
        return from_mattes(islice(_planes(mattes), plate.length))
    except ValueError as error:
        raise MediaError(f"No masks can be made of these mattes: {error}.") from None


def _planes(mattes: Footage) -> Iterator[Plane]:
    with Reader(*mattes) as reader:
        for frame in reader.frames(range(mattes.facts.length)):
            yield np.clip(frame.rgb.mean(axis=0) if frame.alpha is None else frame.alpha, 0, 1)
