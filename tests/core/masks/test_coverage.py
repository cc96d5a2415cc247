"""Coverage of outlines, against formulas and against general-purpose rasterizers."""

import math
import random

import numpy as np
import pytest
import skia
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from upholster.core.kernels import row_bands
from upholster.core.masks.coverage import coverage
from upholster.core.raster import Raster

#: Length of the handles with which four curves have the area of a circle: from integrating the cubics.
ROUND = 2 - math.sqrt((22 - 5 * math.pi) / 3)
SIZE = 400, 300
RASTER = Raster.of_plate(*SIZE)


def corners(*places: tuple[float, float]) -> NDArray[np.float64]:
    points = np.zeros((len(places), 8))
    points[:, :2] = places
    return points


def ellipse(x: float, y: float, across: float, down: float) -> NDArray[np.float64]:
    a, b = ROUND * across, ROUND * down
    return np.array(
        [
            [x + across, y, 0, -b, 0, b, 0, 0],
            [x, y + down, a, 0, -a, 0, 0, 0],
            [x - across, y, 0, b, 0, -b, 0, 0],
            [x, y - down, -a, 0, a, 0, 0, 0],
        ]
    )


def covered(points: NDArray[np.float64], **more: float) -> NDArray[np.float32]:
    return coverage(points, RASTER, **more).over(SIZE[1], SIZE[0])


@pytest.mark.parametrize("centre", [(200.0, 150.0), (199.63, 150.21)])
def test_areas_are_those_of_the_formulas(centre: tuple[float, float]) -> None:
    x, y = centre
    for across, down in ((100.0, 100.0), (140.5, 60.25)):
        area = covered(ellipse(x, y, across, down)).sum(dtype=np.float64)
        assert area == pytest.approx(math.pi * across * down, rel=1e-4)
    for sides in (3, 5, 12):
        turns = np.arange(sides) / sides * 2 * math.pi
        places = [(x + 100 * math.cos(t), y + 100 * math.sin(t)) for t in turns]
        # Area of a regular polygon in a circle: n/2 r^2 sin(2 pi / n).
        area = covered(corners(*places)).sum(dtype=np.float64)
        assert area == pytest.approx(sides / 2 * 1e4 * math.sin(2 * math.pi / sides), rel=1e-5)


def test_a_rectangle_covers_shares_of_the_pixels_at_its_rim() -> None:
    plane = covered(corners((10.25, 20.5), (30.75, 20.5), (30.75, 40.125), (10.25, 40.125)))
    assert plane[30, 20] == 1 and plane[30, 9] == 0 and plane[19, 20] == 0
    assert plane[30, 10] == pytest.approx(0.75) and plane[30, 30] == pytest.approx(0.75)
    assert plane[20, 20] == pytest.approx(0.5) and plane[40, 20] == pytest.approx(0.125)
    assert plane[20, 10] == pytest.approx(0.375)


def random_shape(draw: random.Random) -> NDArray[np.float64]:
    """Curves and corners, crossing themselves as often as not, some of them outside the picture."""
    points = np.zeros((draw.randint(3, 14), 8))
    for row in points:
        row[:2] = draw.uniform(-60, SIZE[0] + 60), draw.uniform(-60, SIZE[1] + 60)
        if draw.random() < 0.6:
            row[2:6] = [draw.uniform(-60, 60) for _ in range(4)]
    return points


def path_of(points: NDArray[np.float64]) -> skia.Path:
    """As 300 lines a curve, by de Casteljau's construction: Skia's own lines are coarser than is compared here."""
    path = skia.Path()
    t = np.linspace(0, 1, 300, endpoint=False)[:, None]
    places = []
    for here, there in zip(points, np.roll(points, -1, axis=0), strict=True):
        row = [here[:2], here[:2] + here[4:6], there[:2] + there[2:4], there[:2]]
        while len(row) > 1:
            row = [(1 - t) * a + t * b for a, b in zip(row, row[1:], strict=False)]
        places.append(row[0])
    path.addPoly([skia.Point(*place) for place in np.concatenate(places)], True)
    path.setFillType(skia.PathFillType.kWinding)
    return path


@pytest.mark.parametrize("seed", range(8))
def test_random_shapes_are_covered_as_skia_covers_them(seed: int) -> None:
    """Skia (general-purpose 2D graphics library), drawn 48 times as large and averaged: what differs halves with every
    doubling of that, so it is Skia's."""
    points = random_shape(random.Random(seed)) * 0.3
    width, height, large = 120, 90, 48
    surface = skia.Surface(width * large, height * large)
    canvas = surface.getCanvas()
    canvas.clear(skia.ColorBLACK)
    canvas.scale(large, large)
    canvas.drawPath(path_of(points), skia.Paint(Color=skia.ColorWHITE, AntiAlias=True))
    white = surface.makeImageSnapshot().toarray()[..., 0].astype(np.float32) / 255
    reference = white.reshape(height, large, width, large).mean(axis=(1, 3))
    plane = coverage(points, Raster.of_plate(width, height)).over(height, width)
    assert np.abs(plane - reference).max() < 1 / 256
    assert 0.01 < reference.mean() < 0.99


@pytest.mark.parametrize("seed", range(6))
def test_random_polygons_are_covered_as_pillow_covers_them(seed: int) -> None:
    """Pillow fills by the even-odd rule and counts whole samples: simple polygons, 16 times as large."""
    draw = random.Random(seed)
    count = draw.randint(3, 20)
    turns = sorted(draw.uniform(0, 2 * math.pi) for _ in range(count))
    places = [
        (200 + draw.uniform(60, 140) * math.cos(t), 150 + draw.uniform(60, 140) * math.sin(t)) for t in turns
    ]  # fmt: skip
    image = Image.new("1", (SIZE[0] * 16, SIZE[1] * 16))
    # Pillow counts from the middle of a pixel.
    ImageDraw.Draw(image).polygon([(x * 16 - 0.5, y * 16 - 0.5) for x, y in places], fill=1)
    reference = np.asarray(image).reshape(SIZE[1], 16, SIZE[0], 16).mean(axis=(1, 3))
    difference = np.abs(covered(corners(*places)) - reference)
    # Its rim takes in every sample that is touched at all: half a sample on each side of a pixel, and more at tips.
    assert difference.max() < 0.16 and difference.mean() < 1e-3


def test_a_feather_falls_by_the_smoothstep_of_the_distance() -> None:
    square = corners((100, 100), (200, 100), (200, 200), (100, 200))
    plane = covered(square, feather=10)
    distance = np.arange(80, 120) + 0.5 - 100
    ramp = np.clip((distance + 10) / 20, 0, 1)
    assert plane[150, 80:120] == pytest.approx(ramp * ramp * (3 - 2 * ramp), abs=1e-5)
    # Around a corner it is round: by the distance from the corner itself.
    away = math.hypot(94.5 - 100, 96.5 - 100)
    t = (10 - away) / 20
    assert plane[96, 94] == pytest.approx(t * t * (3 - 2 * t), abs=1e-4)


def test_feathers_differ_from_point_to_point_inward_and_outward() -> None:
    square = corners((100, 100), (200, 100), (200, 200), (100, 200))
    square[0, 6:] = square[3, 6:] = 2, 20
    plane = covered(square)
    assert plane[150, 82] > 0.01 and plane[150, 103] == 1, "soft outward at the left"
    assert plane[150, 199] == 1 and plane[150, 200] == 0, "sharp at the right"
    widths = [int(((row > 0.02) & (row < 0.98)).sum()) for row in plane[:, 205:][120:180]]
    assert max(widths) == 0
    above = [int(((column > 0.02) & (column < 0.98)).sum()) for column in plane[:150, 110:200:20].T]
    assert above == sorted(above, reverse=True) and above[0] > above[-1] + 5, "in between it changes by and by"


@pytest.mark.parametrize("spread", [-20.0, 13.5])
def test_a_spread_moves_the_edge_along_its_normal(spread: float) -> None:
    area = covered(ellipse(200, 150, 100, 100), spread=spread).sum(dtype=np.float64)
    assert area == pytest.approx(math.pi * (100 + spread) ** 2, rel=1e-3)
    soft = covered(ellipse(200, 150, 100, 100), spread=spread, feather=4).sum(dtype=np.float64)
    assert soft == pytest.approx(math.pi * (100 + spread) ** 2, rel=5e-3)


def test_what_has_no_inside_covers_nothing_and_what_lies_outside_is_legal() -> None:
    assert covered(corners((10, 10), (50, 50))).sum() == 0
    assert covered(corners((10, 10), (10, 10), (10, 10)), spread=-3).sum() == 0
    assert covered(corners((-900, -900), (-500, -900), (-500, -500))).sum() == 0
    around = corners((-1e6, -1e6), (1e6, -1e6), (1e6, 1e6), (-1e6, 1e6))
    assert (covered(around) == 1).all() and (covered(around, feather=30) == 1).all()


def test_a_shape_wound_both_ways_is_filled_by_the_nonzero_rule() -> None:
    eight = corners((100, 100), (200, 200), (200, 100), (100, 200))
    assert covered(eight).sum(dtype=np.float64) == pytest.approx(5000, rel=1e-4)
    twice = corners((100, 100), (200, 100), (200, 200), (100, 200))[[0, 1, 2, 3, 0, 1, 2, 3]]
    assert covered(twice).sum(dtype=np.float64) == pytest.approx(10000, rel=1e-4)


def test_bands_and_proxies_change_nothing_but_the_size() -> None:
    points = random_shape(random.Random(40))
    points[:, 6:] = 6
    whole = covered(points)
    with row_bands(3):
        assert np.array_equal(covered(points), whole)
    half = coverage(points, RASTER.resized(SIZE[0] // 2, SIZE[1] // 2)).over(SIZE[1] // 2, SIZE[0] // 2)
    halved = whole.reshape(SIZE[1] // 2, 2, SIZE[0] // 2, 2).mean(axis=(1, 3))
    assert np.abs(half - halved).mean() < 2e-3
