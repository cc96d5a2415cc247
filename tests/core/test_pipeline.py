"""The list of stages and its one runner: what is kept, what sizes agree on, what highlights do."""

from collections.abc import Callable

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.before.scenes import GROUNDS, plates
from plates import GREEN, SKIN, Plane, disc, flat
from upholster.core.documents.masks import Mask, Masks
from upholster.core.documents.recipe import Edge, Matte, Qualifier, Recipe, Region, Take
from upholster.core.documents.screen import Sample, Screen
from upholster.core.grids import area
from upholster.core.masks.course import Course
from upholster.core.pipeline.order import ORDER
from upholster.core.pipeline.runner import Plate, key, plate_of
from upholster.core.pipeline.stage import Changes, Picture
from upholster.core.raster import Raster
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.sampled import Spot, read_at
from upholster.core.screen.survey import survey

# What is kept


class Kept:
    """Keeps everything, by digest."""

    def __init__(self) -> None:
        self.held: dict[bytes, Changes] = {}

    def __call__(self, digest: bytes, compute: Callable[[], Changes]) -> Changes:
        if digest not in self.held:
            self.held[digest] = compute()
        return self.held[digest]


FRAMES = {kind: [plate_of(p, identity=b"%s %d" % (kind.encode(), n)) for n, p in enumerate(plates(kind))]
          for kind in GROUNDS}  # fmt: skip
kinds = st.sampled_from(["screen", "colour", "dark"])
share = st.sampled_from([0.0, 0.3, 1.0])
drawn = st.builds(
    Mask, does=st.sampled_from(["discard_outside", "discard_inside", "keep_inside", "limit"]),
    line=st.sampled_from(["levels", "choke", "specks", "edge_colour"]), joins=st.sampled_from(["add", "either"]),
    feather=st.sampled_from([0.0, 6.0]), opacity=st.sampled_from([0.0, 0.6, 1.0]),
    course=st.builds(lambda x, later: Course.read({"keys": [
        {"frame": 0, "points": [[x, 5], [x + 60, 9], [x + 30, 80]]},
        {"frame": later, "points": [[x + 9, 5], [x + 50, 20], [x + 30, 60]]}]}),
        st.sampled_from([0, 20]), st.sampled_from([1, 2])),
)  # fmt: skip
recipes = st.builds(
    Recipe,
    masks=st.lists(drawn, max_size=3).map(
        lambda held: Masks(order=tuple(map(str, range(len(held)))), each={str(n): m for n, m in enumerate(held)})),
    take=st.builds(Take, crop_left=st.sampled_from([0, 7]), crop_bottom=st.sampled_from([0, 4]),
                   turns=st.sampled_from([0, 1]), flip_across=st.booleans(), pixel_aspect=st.sampled_from([1.0, 1.5])),
    screen=st.builds(lambda marks: Screen(samples=tuple(
        Sample(of=of, frame=0, x=20, y=20, colour=(0.7, 0.5, 0.4)) for of in marks)),
        st.sets(st.sampled_from(["subject", "veil"]), max_size=1)),
    region=st.builds(Region, joined=st.booleans()),
    qualifier=st.builds(Qualifier, hue=st.sampled_from([180.0, 60.0]), lightness_low=share),
    matte=st.builds(Matte, temporal_denoise=share, edge_smoothing=share, see_through=share,
                    black_point=st.sampled_from([0.0, 0.1]), fill_holes=st.sampled_from([0.0, 5.0]),
                    specks=st.sampled_from([0.0, 4.0]), opacity=share, paused=st.booleans()),
    edge=st.builds(Edge, choke=st.sampled_from([0.0, 1.2, -0.7]), soften=share, recover=share, paused=st.booleans()),
    edge_colour=st.builds(dict, spill=share, unmix=share, desaturate=share, keep_luma=st.booleans()),
)  # fmt: skip


def keyed(kind: str, frame: int, recipe: Recipe, known: ScreenKnowledge | None, memo: Kept) -> Picture:
    near = [FRAMES[kind][n] for n in (frame - 1, frame + 1) if 0 <= n < 3]
    return key(FRAMES[kind][frame], recipe, frame, known, neighbours=lambda reach: near, memo=memo)


@given(st.lists(st.tuples(kinds, st.integers(0, 2), recipes, st.integers(0, 1)), min_size=2, max_size=4))
@settings(max_examples=40, deadline=None)
def test_what_is_kept_is_what_would_be_made_anew(asked: list[tuple[str, int, Recipe, int]]) -> None:
    """Several recipes, screens and frames share one memo, in any order: bit for bit the same as alone."""
    shared = Kept()
    for kind, frame, recipe, which in asked:
        screen = recipe.screen.model_copy(update={"kind": kind, "colour": GROUNDS[kind]})
        recipe = recipe.model_copy(update={"screen": screen})
        taken = survey({n: p.rgb for n, p in enumerate(FRAMES[kind])})
        known = measure_screen(taken, recipe.screen)
        assert known is not None
        # The same screen, otherwise measured: as with footage of the empty set, or another reading.
        known = ScreenKnowledge(known.plate * np.float32(1 - 0.1 * which), known.noise, known.primary)
        one, other = keyed(kind, frame, recipe, known, shared), keyed(kind, frame, recipe, known, Kept())
        assert np.array_equal(one.rgb, other.rgb) and np.array_equal(one.alpha, other.alpha)
        assert np.array_equal(one.raw_matte, other.raw_matte) and one.raster == other.raster


def test_a_stage_is_named_once_and_its_settings_are_in_its_section() -> None:
    assert len({stage.name for stage in ORDER}) == len(ORDER)
    for stage in ORDER:
        assert set(stage.reads) <= set(Picture._fields)
        if stage.section:
            section = Recipe.model_fields[stage.section].annotation
            assert section is not None and issubclass(section, stage.settings)


# Sizes


def scene() -> list[Plane]:
    """A plate of 480 by 270 with a round limb, a strand, a hole, and specks, three times with other grain."""
    rng = np.random.default_rng(3)
    cover = cv2.GaussianBlur(disc(480, 270, x=240, y=135, radius=70), (0, 0), 2)
    cover[60:80, 100:102] = 1
    cover[200:206, 60:66] = 1
    cover[130:136, 236:242] = 0.86
    clean = flat(SKIN, 480, 270) * cover + flat(GREEN, 480, 270) * (1 - cover)
    return [(clean + rng.normal(0, 0.01, clean.shape)).astype(np.float32) for _ in range(3)]


def matte(**changes: float) -> Matte:
    """Only what is asked for, beside points that keep grain out of it."""
    return Matte(**{"black_point": 0.06, "white_point": 0.94, "fill_holes": 0, "edge_smoothing": 0, **changes})


@pytest.mark.parametrize(
    ("changes", "bound"),
    [
        ({}, 0.0015),
        ({"matte": matte(edge_smoothing=1)}, 0.0015),
        ({"matte": matte(temporal_denoise=1)}, 0.0015),
        ({"matte": matte(fill_holes=16)}, 0.0015),
        ({"matte": matte(specks=9)}, 0.0015),
        ({"region": Region(joined=True)}, 0.0015),
        ({"of": "subject"}, 0.0015),
        ({"of": "veil"}, 0.0015),
        ({"edge": Edge(choke=3.0)}, 0.0025),
        ({"edge": Edge(choke=-3.0)}, 0.0065),
        ({"edge": Edge(soften=4)}, 0.0015),
        ({"edge": Edge(recover=1)}, 0.0025),
        ({"take": Take(crop_left=40, crop_top=20, crop_right=16, crop_bottom=30)}, 0.0015),
        ({"take": Take(turns=1, flip_down=True, pixel_aspect=1.25)}, 0.0015),
    ],
)
def test_the_quick_picture_and_the_fine_one_agree(changes: dict[str, object], bound: float) -> None:
    """Keyed at half size, and keyed in full and then halved: the mean difference of coverage."""
    full = scene()
    samples = [Sample(frame=0, x=20, y=20, colour=GREEN)]
    if of := changes.get("of"):
        samples.append(read_at(full[1], Raster.of_plate(480, 270), Spot(240, 135, 20), of, 1))
    changes = {name: value for name, value in changes.items() if name != "of"}
    recipe = Recipe(screen=Screen(kind="screen", colour=GREEN, samples=tuple(samples)), **{"matte": matte(), **changes})  # type: ignore[arg-type]
    known = measure_screen(survey(dict(enumerate(full))), recipe.screen)
    halves = [area(p, 240, 135) for p in full]
    raster = Raster.of_plate(480, 270, 240, 135)
    fine = key(plate_of(full[1]), recipe, 1, known, neighbours=lambda n: [plate_of(full[0]), plate_of(full[2])])
    small = [Plate(p, None, raster) for p in halves]
    quick = key(small[1], recipe, 1, known, neighbours=lambda n: [small[0], small[2]])
    expected = area(fine.alpha[None], quick.alpha.shape[1], quick.alpha.shape[0])[0]
    assert np.abs(quick.alpha - expected).mean() < bound


@given(
    st.integers(0, 3), st.booleans(), st.booleans(), st.sampled_from([1.0, 2.0, 0.7]), st.integers(0, 60),
    st.floats(-500, 900), st.floats(-500, 900),
)  # fmt: skip
def test_places_go_to_the_picture_and_back(
    turns: int, across: bool, down: bool, aspect: float, crop: int, x: float, y: float
) -> None:
    """Places outside the picture included."""
    take = Take(
        turns=turns, flip_across=across, flip_down=down, pixel_aspect=aspect, crop_left=crop, crop_top=crop // 2
    )
    for raster in (take.result(Raster.of_plate(320, 180)), take.result(Raster.of_plate(320, 180, 160, 90))):
        assert raster.on_plate(*raster.place(x, y)) == pytest.approx((x, y), abs=1e-6)


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
@pytest.mark.parametrize("flips", [(False, False), (True, False), (False, True)])
def test_a_mark_on_the_plate_is_where_the_raster_says(turns: int, flips: tuple[bool, bool]) -> None:
    plate = np.zeros((3, 40, 60), np.float32)
    plate[:, 11, 23] = 1
    take = Take(crop_left=4, crop_top=3, crop_right=2, turns=turns, flip_across=flips[0], flip_down=flips[1])
    found = key(plate_of(plate), Recipe(take=take), 0, None)
    x, y = found.raster.place(23.5, 11.5)
    assert found.rgb[0, int(y), int(x)] == 1 and found.rgb.sum() == 3
    assert (found.alpha.shape[1], found.alpha.shape[0]) == found.raster.size
    assert np.array_equal(found.rgb, np.rot90(_flipped(plate[:, 3:, 4:58], *flips), -turns, (1, 2)))


def _flipped(plate: Plane, across: bool, down: bool) -> Plane:
    plate = plate[:, :, ::-1] if across else plate
    return plate[:, ::-1] if down else plate


def test_a_crop_keys_what_is_left_as_if_there_had_been_no_border() -> None:
    """A wall beside the screen must not become part of the subject's colours once it is cut away."""
    plate = scene()[0]
    walled = np.concatenate([np.full((3, 270, 60), 0.5, np.float32), plate], axis=2)
    recipe = Recipe(screen=Screen(kind="screen", colour=GREEN))
    known = measure_screen(survey({0: plate}), recipe.screen)
    assert known is not None
    wide = ScreenKnowledge(
        np.broadcast_to(known.plate.mean(axis=(1, 2), keepdims=True), (3, 9, 18)).copy(), known.noise, 1
    )
    cut = key(plate_of(walled), recipe.model_copy(update={"take": Take(crop_left=60)}), 0, wide)
    bare = key(plate_of(plate), recipe, 0, wide)
    assert np.abs(cut.alpha - bare.alpha).max() < 1e-5 and np.abs(cut.rgb - bare.rgb).max() < 1e-5


@pytest.mark.parametrize("size", [(16, 16), (20, 400), (1, 1)])
def test_a_crop_larger_than_the_plate_leaves_something(size: tuple[int, int]) -> None:
    take = Take(crop_left=4000, crop_right=4000, crop_top=9, crop_bottom=65535)
    found = key(plate_of(np.full((3, *size), 0.5, np.float32)), Recipe(take=take), 0, None)
    assert min(found.alpha.shape) >= min(16, *size) and found.raster == take.result(Raster.of_plate(size[1], size[0]))


# Highlights


@pytest.mark.parametrize("peak", [1.5, 4.0, 8.0])
def test_highlights_are_kept_above_one(peak: float) -> None:
    """A lamp of the subject far above white, as OpenEXR holds it; half covered, it is still as bright."""
    cover = cv2.GaussianBlur(disc(radius=40), (0, 0), 2)
    lamp = flat((peak, peak * 0.9, peak * 0.8))
    plate = (lamp * cover + flat(GREEN) * (1 - cover)).astype(np.float32)
    recipe = Recipe(screen=Screen(kind="screen", colour=GREEN))
    known = ScreenKnowledge(flat(GREEN, 16, 9), 0.004, 1)
    found = key(plate_of(plate, floating=True), recipe, 0, known)
    solid = cover > 0.999
    assert np.abs(found.rgb - plate)[:, solid].max() < 0.02 * peak
    assert found.rgb.max() == pytest.approx(peak, rel=0.02)
