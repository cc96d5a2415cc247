"""Where chroma lies is told by the picture; where nothing tells, it lies as the standard presumes."""

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from skimage.data import coffee

from upholster.core.siting import is_centred, residuals
from upholster.core.yuv import from_rgb

Plane = NDArray[np.float32]


def parts(picture: NDArray[np.uint8], *, centred: bool, rows: int) -> list[Plane]:
    """Luma, and chroma of every second column, in 8-bit steps; one row of chroma to so many `rows` of luma."""
    planar = np.ascontiguousarray(picture.transpose(2, 0, 1)).astype(np.float32) / np.float32(255)
    luma, *chroma = (
        plane.astype(np.float32) / 256
        for plane in from_rgb(planar, depth=16, matrix="bt709", code_range="limited")
    )  # fmt: skip
    across = np.array([0.0, 0.5, 0.5] if centred else [0.25, 0.5, 0.25])
    out = [np.rint(luma)]
    for plane in chroma:
        soft = cv2.sepFilter2D(plane, -1, across, np.array([1.0]))[:, ::2]
        last = soft[-1:] if rows == 2 and len(soft) % 2 else soft[:0]
        soft = np.concatenate([soft, last])
        out.append(np.rint(sum(soft[k::rows] for k in range(rows)) / rows))
    return out


@pytest.mark.parametrize("size", [(400, 600), (399, 599)])
@pytest.mark.parametrize("rows", [1, 2])
@pytest.mark.parametrize("centred", [False, True])
def test_chroma_is_found_where_it_was_sampled(centred: bool, rows: int, size: tuple[int, int]) -> None:
    """On a photograph (scikit-image's), 4:2:2 and 4:2:0, at the places of ITU-T H.273, table 8: types 0 and 1."""
    picture = coffee()[: size[0], : size[1]]
    assert is_centred([residuals(*parts(picture, centred=centred, rows=rows))]) is centred


def test_a_picture_that_tells_nothing_is_as_the_standard_presumes() -> None:
    flat = np.full((200, 300, 3), (30, 160, 60), np.uint8)
    assert not is_centred([residuals(*parts(flat, centred=True, rows=2))])
    assert not is_centred([])
