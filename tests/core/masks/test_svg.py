"""Masks as SVG and back; what others write, and nonsense."""

import math
import re
from xml.etree import ElementTree

import numpy as np
import pytest
import skia

from upholster.core.documents.masks import Mask, Masks
from upholster.core.masks.course import Course
from upholster.core.masks.coverage import coverage
from upholster.core.masks.svg import from_svg, to_svg
from upholster.core.raster import Raster


def blob(x: float, turn: float) -> list[list[float]]:
    rows = []
    for k in range(6):
        t = turn + k * math.pi / 3
        c, s = math.cos(t), math.sin(t)
        rows.append([x + 40 * c, 90 + 25 * s, 6 * s, -6 * c, -6 * s, 6 * c, 0, 0])
    return rows


KEYS = ((4, 80, 0.0), (20, 150, 1.2), (30, 120, 2.0))
MOVING = Course.read({"keys": [{"frame": frame, "next": "smooth", "points": blob(x, turn)} for frame, x, turn in KEYS]})
STILL = Course.read({"closed": False, "keys": [{"frame": 0, "points": [[1, 2], [30, 2], [30, 50]]}]})
EACH = {"a": Mask(name="Still & open", course=STILL), "b": Mask(name="Moving", course=MOVING)}
MASKS = Masks(order=("b", "a"), each=EACH)


SOFT = Mask(name="Soft", does="keep_inside", feather=3.5, spread=-1.0, opacity=0.5, course=MOVING)


def test_masks_come_back_from_an_svg_as_they_were() -> None:
    masks = Masks(order=("b", "c", "a"), each=EACH | {"c": SOFT})
    back = from_svg(to_svg(masks, 240, 180, 24), 24)
    assert back == [EACH["b"], SOFT, EACH["a"]]


def test_a_path_that_was_changed_elsewhere_counts_as_it_is_drawn_now() -> None:
    one = Masks(order=("a",), each={"a": EACH["a"].model_copy(update={"feather": 4.0})})
    written = to_svg(one, 240, 180, 24)
    (changed,) = from_svg(written.replace(" 30.000 50.000", " 40.000 50.000"), 24)
    assert changed.name == "Still & open" and changed.feather == 0
    assert changed.course.points[0, -1, :2] == pytest.approx([40, 50])


def test_outlines_come_back_from_an_svg_without_the_document_beside_them() -> None:
    back = from_svg(re.sub("<metadata>.*?</metadata>", "", to_svg(MASKS, 240, 180, 24)), 24)
    assert [read.name for read in back] == ["Moving", "Still & open"]
    moving, still = back[0].course, back[1].course
    assert not still.closed and still.points[0] == pytest.approx(STILL.points[0], abs=1e-3)
    assert moving.frames[0] == 4 and moving.frames[-1] == 30
    for frame in range(35):
        assert moving.at(frame)[:, :2] == pytest.approx(MOVING.at(frame)[:, :2], abs=0.06)


def test_a_path_is_covered_as_skia_covers_it() -> None:
    """Skia's own reader of SVG files, which shows the first keyframe."""
    svg = to_svg(MASKS, 240, 180, 24)
    root = ElementTree.fromstring(svg)
    assert root.get("viewBox") == "0 0 240 180"
    dom = skia.SVGDOM.MakeFromStream(skia.MemoryStream(svg.encode()))
    dom.setContainerSize(skia.Size(240, 180))
    surface = skia.Surface(240 * 16, 180 * 16)
    canvas = surface.getCanvas()
    canvas.scale(16, 16)
    dom.render(canvas)
    drawn = surface.makeImageSnapshot().toarray()[..., 3].astype(np.float32) / 255
    reference = drawn.reshape(180, 16, 240, 16).mean(axis=(1, 3))
    ours = coverage(MOVING.at(4), Raster.of_plate(240, 180)).over(180, 240)
    assert reference.sum() > 1000 and np.abs(ours - reference).max() < 0.05


def test_lines_and_quadratic_curves_of_others_are_read() -> None:
    text = '<svg xmlns="http://www.w3.org/2000/svg"><g><path d="m 10,10 h 20 v 20 q -10 10 -20 0 z"/></g></svg>'
    (read,) = from_svg(text, 25)
    assert read.name == "Path 1" and read.course.closed and read.course.points.shape == (1, 4, 8)
    assert read.course.at(0)[:, :2].tolist() == [[10, 10], [30, 10], [30, 30], [10, 30]]
    # A parabola's arc encloses two thirds of its triangle: 20 * 20 + 2/3 * 20 * 10 / 2.
    area = coverage(read.course.at(0), Raster.of_plate(60, 60)).plane.sum(dtype=float)
    assert area == pytest.approx(400 + 2 / 3 * 100, rel=1e-3)


def of(inside: str) -> str:
    return f'<svg xmlns="http://www.w3.org/2000/svg">{inside}</svg>'


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("nothing", "not an SVG"),
        (of('<rect width="3"/>'), "no paths"),
        (of('<path d="M0 0 A 5 5 0 0 1 9 9"/>'), "arcs"),
        (of('<path d=""/>'), "1 to 2000 points"),
        ('<!DOCTYPE a [<!ENTITY b "c">]>' + of(""), "entities"),
        (of('<path><animate attributeName="d" dur="soon" values="M0 0"/></path>'), "no time"),
    ],
)
def test_what_is_no_outline_is_refused_with_a_sentence(text: str, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        from_svg(text, 24)
