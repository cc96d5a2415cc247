"""Rendered plates: light turned into coverage and colour; the renderer itself is not needed for this."""

import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parents[2]))

from bench.learn.key.examples import counts  # noqa: E402
from bench.quality import families  # noqa: E402
from bench.rendered import render, scenes, shapes  # noqa: E402
from bench.rendered.truth import GROUNDS, Lit, encoded, linear, truth_of  # noqa: E402

GREEN = np.full((2, 3, 3), (0.03, 0.3, 0.06), np.float32)


def test_light_is_written_as_bt_709_says() -> None:
    """ITU-R BT.709-6, table 1, item 1.2: V = 4.500 L up to 0.018, then 1.099 L^0.45 - 0.099."""
    light = np.float32([0, 0.01, 0.018, 0.18, 0.5, 1.0, 1.7])
    assert encoded(light) == pytest.approx([0, 0.045, 0.0812, 0.4090, 0.7055, 1.0, 1.0], abs=2e-4)
    assert linear(encoded(light[:6])) == pytest.approx(light[:6], abs=2e-4)


def test_what_lets_nothing_through_is_solid_and_what_is_not_there_is_clear() -> None:
    own = np.full_like(GREEN, (0.2, 0.1, 0.05))
    nothing = np.zeros_like(GREEN)
    colour, alpha = truth_of(Lit(own, nothing, nothing), GREEN)
    assert alpha == pytest.approx(1.0)
    assert colour == pytest.approx(encoded(own), abs=1e-5)
    _, alpha = truth_of(Lit(GREEN, GREEN, np.ones_like(GREEN)), GREEN)
    assert alpha == pytest.approx(0.0, abs=1e-6)


def test_half_covered_is_what_least_squares_says_over_the_five_grounds() -> None:
    """Against numpy's own least squares, with the four unknowns written out."""
    own, seen, screen = np.float32([0.15, 0.05, 0.02]), np.float32([0.5, 0.45, 0.4]), GREEN[0, 0]
    whole = [np.broadcast_to(v, GREEN.shape).astype(np.float32) for v in (own + seen * screen, seen * screen, seen)]
    colour, alpha = truth_of(Lit(*whole), GREEN)
    rows, values = [], []
    for ground in [screen, *(linear(np.float32(g)) for g in GROUNDS)]:
        for primary in range(3):
            under = float(encoded(ground)[primary])
            rows.append([*np.eye(3)[primary], -under])
            values.append(float(encoded(own + seen * ground)[primary]) - under)
    *premultiplied, covered = np.linalg.lstsq(np.array(rows), np.array(values))[0]
    assert alpha == pytest.approx(covered, abs=1e-4)
    assert 0.3 < covered < 0.7
    assert colour[0, 0] == pytest.approx(np.clip(np.array(premultiplied) / covered, 0, 1), abs=1e-3)


def test_what_lets_light_through_still_does_when_all_is_black() -> None:
    tint = {"type": "rgb", "value": [0.5, 0.4, 0.1]}
    glass = render.blackened({"type": "thindielectric", "specular_transmittance": tint})
    assert glass["specular_transmittance"] == tint
    assert glass["specular_reflectance"]["value"] == 0
    gauze = render.blackened({"type": "mask", "opacity": 0.3, "bsdf": {"type": "diffuse"}})
    assert gauze["opacity"] == 0.3
    assert gauze["bsdf"] == render.blackened({"type": "plastic"})


def test_no_hair_grows_through_the_head(tmp_path: Path) -> None:
    radii = (0.25, 0.3, 0.22)
    file = shapes.strands(tmp_path / "hair.txt", np.random.default_rng(3), 200, radii, t=1.0)
    points = np.loadtxt(file)
    assert len(points) == 200 * 14
    assert np.sqrt(((points[:, :3] / radii) ** 2).sum(axis=1)).min() > 0.999
    assert points[:, 3].min() > 0


def test_what_is_turned_about_an_axis_is_closed_and_faces_outward(tmp_path: Path) -> None:
    for file in (
        shapes.ellipsoid(tmp_path / "a.obj", (0.3, 0.5, 0.2)),
        shapes.lathed(tmp_path / "b.obj", shapes.bottle(np.random.default_rng(1))),
    ):
        lines = Path(file).read_text().splitlines()
        corners = np.loadtxt([line[2:] for line in lines if line.startswith("v ")])
        faces = np.array([[int(c.split("/")[0]) - 1 for c in line.split()[1:]] for line in lines if line[0] == "f"])
        a, b, c = (corners[faces[:, k]] for k in range(3))
        # Twice the area of every triangle along its normal: of a closed surface they cancel (divergence theorem).
        assert np.cross(b - a, c - a)[:, [0, 2]].sum(axis=0) == pytest.approx(0, abs=1e-5)
        assert np.einsum("ij,ij->i", a, np.cross(b, c)).sum() > 0


def test_rendered_frames_are_few_and_count_more(tmp_path: Path) -> None:
    assert not set(scenes.FAMILIES) & set(families.FAMILIES)
    assert counts(tmp_path / "haired-1003.npz") > counts(tmp_path / "hair-1003.npz")
