import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plates import BLUE, GREEN, ORANGE, SKIN, Plane, disc, flat, key_plate, shot
from upholster.core.composite.over import over
from upholster.core.documents.recipe import Edge, Matte, Recipe
from upholster.core.documents.screen import Kind, Screen
from upholster.core.first_recipe import first_look
from upholster.core.kernels import row_bands
from upholster.core.pipeline.stage import Picture
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.propose import screen_name
from upholster.core.screen.survey import survey
from upholster.core.stages.edge.choke import move_edge
from upholster.core.stages.matte.fill_holes import close_dips
from upholster.core.stages.matte.levels import levels
from upholster.core.stages.matte.subject_colours import surely_subject
from upholster.core.stages.take.legal_values import LARGEST

Colour = tuple[float, float, float]


def known_screen(colour: Colour, noise: float = 0.004) -> ScreenKnowledge:
    return ScreenKnowledge(flat(colour, 16, 9), noise, int(np.argmax(colour)))


def automatic(plates: list[Plane], frame: int = 0) -> tuple[Picture, Recipe]:
    taken = survey(dict(enumerate(plates)))
    recipe = first_look(taken).recipe
    return key_plate(plates[frame], recipe, frame, measure_screen(taken, recipe.screen)), recipe


@pytest.mark.parametrize(
    ("colour", "kind", "name"),
    [
        (GREEN, "screen", "green screen"),
        (BLUE, "screen", "blue screen"),
        (ORANGE, "colour", "even colour"),
        ((0.02, 0.02, 0.02), "dark", "dark ground"),
        ((0.96, 0.96, 0.95), "light", "light ground"),
    ],
)
def test_the_ground_is_recognised_and_keyed_with_no_recipe(colour: Colour, kind: Kind, name: str) -> None:
    subject = SKIN if kind != "light" else (0.02, 0.03, 0.05)
    plates, alphas = zip(*(shot(colour, subject, frame=n, uneven=0.05) for n in range(6)), strict=True)
    keyed, recipe = automatic(list(plates), 2)
    assert recipe.screen.kind == kind
    assert screen_name(recipe.screen) == name
    solid = alphas[2] > 0.99
    assert keyed.alpha[alphas[2] < 0.01].max() < 0.08
    if kind not in ("dark", "light"):
        assert np.mean((keyed.alpha - alphas[2]) ** 2) < 7e-4
        assert keyed.alpha[solid].min() > 0.94 and keyed.alpha[solid].mean() > 0.999
        assert np.abs(keyed.rgb[:, solid] - flat(subject)[:, solid]).mean() < 0.02


def test_a_picture_without_an_even_ground_is_left_alone() -> None:
    noise = np.random.default_rng(1).uniform(0, 1, (3, 24, 40)).astype(np.float32)
    plate = np.stack([cv2.resize(p, (320, 180), interpolation=cv2.INTER_CUBIC) for p in noise]).clip(0, 1)
    keyed, recipe = automatic([plate])
    assert recipe.screen.kind == "none"
    assert (keyed.alpha == 1).all() and (keyed.rgb == plate).all()


def test_a_veil_that_hangs_in_every_frame_does_not_become_part_of_the_screen() -> None:
    veil = np.zeros((180, 320), np.float32)
    veil[50:130, 40:120] = 0.35
    plates = [shot(frame=n)[0] * (1 - veil) + flat((0.9, 0.9, 0.88)) * veil for n in range(6)]
    keyed, _ = automatic([p.astype(np.float32) for p in plates])
    assert 0.25 < np.median(keyed.alpha[60:120, 50:80]) < 0.5


@given(
    st.tuples(st.floats(0.05, 0.25), st.floats(0.45, 0.8), st.floats(0.05, 0.3)),
    st.floats(0.0, 0.1),
    st.integers(24, 90),
    st.integers(24, 90),
)
@settings(max_examples=25, deadline=None)
def test_a_frame_of_screen_alone_is_clear_everywhere(colour: Colour, uneven: float, width: int, height: int) -> None:
    plate = flat(colour, width, height) * (1 + uneven * np.linspace(-1, 1, width, dtype=np.float32))
    keyed, _ = automatic([plate.astype(np.float32)])
    assert keyed.alpha.max() < 1 / 255


@pytest.mark.parametrize("kind", ["screen", "colour", "dark", "light"])
@pytest.mark.parametrize("fill", [np.nan, np.inf, -np.inf, 0.0, 1.0, 1e30])
@pytest.mark.parametrize("size", [(1, 1), (7, 3), (33, 17)])
def test_no_frame_however_odd_brings_anything_but_numbers(kind: Kind, fill: float, size: tuple[int, int]) -> None:
    plate = np.full((3, *size), fill, np.float32)
    recipe = Recipe(screen=Screen(kind=kind, colour=GREEN), edge=Edge(choke=-1.3, soften=0.7))
    keyed = key_plate(plate, recipe, 0, known_screen(GREEN))
    assert np.isfinite(keyed.alpha).all() and keyed.alpha.min() >= 0 and keyed.alpha.max() <= 1
    assert np.isfinite(keyed.rgb).all() and np.abs(keyed.rgb).max() <= LARGEST


def test_result_over_the_clean_plate_gives_the_plate_back() -> None:
    plate, _ = shot(noise=0)
    recipe = Recipe(screen=Screen(kind="screen", colour=GREEN)).model_copy(
        update={"edge_colour": Recipe().edge_colour.model_copy(update={"spill": 0.0})}
    )
    keyed = key_plate(plate, recipe, 0, known_screen(GREEN))
    assert np.abs(over(keyed.rgb, keyed.alpha, flat(GREEN)) - plate).max() < 0.03


@pytest.mark.parametrize("kind", ["dark", "light"])
def test_a_glow_or_an_ink_adds_no_veil_over_any_ground(kind: Kind) -> None:
    """Common practice, no source: over the ground it was shot on, partial coverage must look as shot."""
    cover = cv2.GaussianBlur(disc(radius=30), (0, 0), 12)
    dark = kind == "dark"
    ground, own = (0.02, (1.0, 0.6, 0.2)) if dark else (0.96, (0.05, 0.0, 0.1))
    plate = (flat(own) * cover + ground * (1 - cover)).astype(np.float32)
    nominal = (ground,) * 3
    keyed = key_plate(plate, Recipe(screen=Screen(kind=kind, colour=nominal)), 0, known_screen(nominal))
    assert np.abs(over(keyed.rgb, keyed.alpha, flat(nominal)) - plate).max() < 0.01
    bright = flat((0.9, 0.2, 0.8))
    assert np.abs(over(keyed.rgb, keyed.alpha, bright) - over(flat(own), cover, bright)).mean() < 0.01


@given(st.floats(0, 0.4), st.floats(0.5, 1.0), st.floats(0.0, 1.0))
@settings(max_examples=30, deadline=None)
def test_levels_are_monotone_in_coverage_and_in_each_control(clear: float, solid: float, opacity: float) -> None:
    ramp = np.linspace(0, 1, 64, dtype=np.float32)[None]
    here = levels(ramp, black_point=clear, white_point=solid, opacity=opacity)
    assert (np.diff(here[0]) >= 0).all()
    assert (levels(ramp, black_point=min(clear + 0.05, 0.45), white_point=solid, opacity=opacity) <= here + 1e-6).all()
    assert (levels(ramp, black_point=clear, white_point=max(solid - 0.02, 0.48), opacity=opacity) >= here - 1e-6).all()


def test_shallow_holes_are_closed_and_real_gaps_and_soft_edges_are_not() -> None:
    matte = np.ones((60, 200), np.float32)
    matte[:, :60] = np.linspace(0, 1, 60, dtype=np.float32)
    matte[:, 90:94] = 0.85
    matte[:, 120:124] = 0.1
    matte[:, 150:170] = 0.85
    closed = close_dips(matte, size=8, around=7)
    assert (closed[:, 88:96] == 1).all()
    assert np.array_equal(closed[:, 118:126], matte[:, 118:126])
    assert np.array_equal(closed[:, :80], matte[:, :80])
    assert np.allclose(closed[:, 156:164], 0.85)


def test_dips_between_strands_stay_where_gaps_lie_near() -> None:
    strands = np.ones((60, 120), np.float32)
    strands[:, 2::6] = 0.8
    strands[:, 60::6] = 0.2
    closed = close_dips(strands, size=8, around=7)
    assert (closed[:, :50] == 1).all()
    among = closed[:, 62:118]
    assert np.array_equal(among, strands[:, 62:118]) and (among == np.float32(0.8)).any()


@pytest.mark.parametrize("shift", [-3.4, -1.0, -0.25, 0.25, 0.5, 1.0, 2.5, 6.3])
def test_the_edge_moves_by_the_fraction_asked_for(shift: float) -> None:
    ramp = np.broadcast_to(np.clip(np.arange(80, dtype=np.float32) - 39.5, 0, 1), (40, 80)).copy()
    moved = move_edge(ramp, choke=-shift, soften=0)
    # The area gained by a straight edge is its length times the way it moved.
    assert (moved.sum() - ramp.sum()) / 40 == pytest.approx(shift, abs=0.02)


def test_a_shift_of_nothing_changes_nothing() -> None:
    matte = np.random.default_rng(0).uniform(0, 1, (30, 40)).astype(np.float32)
    assert np.array_equal(move_edge(matte, choke=0, soften=0), matte)


def test_row_bands_change_nothing() -> None:
    plate, _ = shot()
    recipe = Recipe(
        screen=Screen(kind="screen", colour=GREEN), edge=Edge(choke=1.2, soften=2), matte=Matte(black_point=0.1)
    )
    whole = key_plate(plate, recipe, 0, known_screen(GREEN))
    with row_bands(3):
        banded = key_plate(plate, recipe, 0, known_screen(GREEN))
    assert np.array_equal(whole.rgb, banded.rgb) and np.array_equal(whole.alpha, banded.alpha)


def test_a_change_of_edge_does_not_pull_the_key_again() -> None:
    plate, _ = shot()
    kept: dict[object, object] = {}
    computed: list[object] = []

    def memo(name, compute):  # type: ignore[no-untyped-def]
        if name not in kept:
            computed.append(name)
            kept[name] = compute()
        return kept[name]

    screen = Screen(kind="screen", colour=GREEN)
    key_plate(plate, Recipe(screen=screen), 0, known_screen(GREEN), memo=memo)
    computed.clear()
    key_plate(plate, Recipe(screen=screen, edge=Edge(choke=1)), 0, known_screen(GREEN), memo=memo)
    assert len(computed) == 1


def test_pausing_a_line_takes_its_effect_away() -> None:
    plate, _ = shot()
    recipe = Recipe(screen=Screen(kind="screen", colour=GREEN), matte=Matte(black_point=0.3, paused=True))
    plain = Recipe(screen=Screen(kind="screen", colour=GREEN), matte=Matte(fill_holes=0, edge_smoothing=0))
    screen = known_screen(GREEN)
    assert np.array_equal(key_plate(plate, recipe, 0, screen).alpha, key_plate(plate, plain, 0, screen).alpha)
    stopped = Recipe(screen=Screen(kind="screen", colour=GREEN, paused=True))
    assert (key_plate(plate, stopped, 0, screen).alpha == 1).all()


def test_a_pale_veil_before_the_screen_is_not_surely_solid_and_a_pale_patch_on_the_subject_is() -> None:
    """Both have the screen's very hue, and a third of its strength."""
    veiled = flat(BLUE) * np.float32(0.35) + np.float32(0.65 * 0.7)
    inside, hanging = np.s_[:, 70:110, 70:110], np.s_[:, 40:140, 210:290]
    plate = flat(BLUE)
    plate[:, 30:150, 30:150] = 0.8
    plate[inside], plate[hanging] = veiled[inside], veiled[hanging]
    clean = flat(BLUE)
    known = ScreenKnowledge(clean, 0.003, 2)
    sure = np.maximum(*surely_subject(plate, clean, "screen", known))
    assert sure[80:100, 80:100].min() > 0.9
    assert sure[50:130, 220:280].max() < 0.1
