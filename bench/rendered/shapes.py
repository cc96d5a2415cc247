"""Meshes and strands as the renderer reads them from files."""

from math import pi, sin
from pathlib import Path

import numpy as np
from bench.drawn import Draw, Numbers


def lathed(path: Path, profile: Numbers, turns: int = 96) -> str:
    """A profile ``(n, 2)`` of (radius, height) turned about the upright axis, as an OBJ file."""
    around = np.linspace(0, 2 * pi, turns, endpoint=False)
    points = np.stack(
        [
            profile[:, :1] * np.cos(around),
            np.repeat(profile[:, 1:], turns, 1),
            profile[:, :1] * np.sin(around),
        ],
        axis=-1,
    )
    return _woven(path, points, closed=True)


def ellipsoid(path: Path, radii: tuple[float, float, float]) -> str:
    """A stretched sphere: the renderer's own cannot be."""
    up = np.linspace(pi - 0.001, 0.001, 48)
    around = np.linspace(0, 2 * pi, 96, endpoint=False)
    points = np.stack(
        [
            radii[0] * np.sin(up)[:, None] * np.cos(around),
            radii[1] * np.repeat(np.cos(up)[:, None], 96, 1),
            radii[2] * np.sin(up)[:, None] * np.sin(around),
        ],
        axis=-1,
    )
    return _woven(path, points, closed=True)


def folded(path: Path, draw: Draw, width: float, height: float, t: float) -> str:
    """A hanging cloth whose folds widen downwards, and sway."""
    y, x = np.mgrid[0:1:60j, -0.5:0.5:160j]
    z = np.zeros_like(x)
    for _ in range(int(draw.integers(2, 5))):
        z += (
            draw.uniform(0.01, 0.05)
            * (0.3 + y)
            * np.sin(x * draw.uniform(8, 40) + draw.uniform(0, 6) + y * draw.uniform(-2, 2) + 0.15 * t)
        )
    points = np.stack([x * width * (1 + draw.uniform(-0.3, 0.5) * y), (0.5 - y) * height, z], axis=-1)
    return _woven(path, points, closed=False)


def strands(path: Path, draw: Draw, count: int, radii: tuple[float, float, float], t: float) -> str:
    """Hair grown from the upper part of an ellipsoid: combed, curled, some of it flying."""
    up = draw.uniform(-0.25, 1, count)
    turn = draw.uniform(0, 2 * pi, count)
    level = np.sqrt(1 - up**2)
    out = np.stack([level * np.cos(turn), up, level * np.sin(turn)], axis=-1)
    reach = draw.uniform(0.15, 0.8)
    length = reach * draw.uniform(0.6, 1.3, count)
    weight, curl = draw.uniform(0.3, 2.5), draw.uniform(0, 0.05)
    rate, loose = draw.uniform(5, 25), draw.uniform(0.02, 0.25)
    parting = draw.normal(0, 0.35, 3)
    flying = draw.random(count) < draw.uniform(0.03, 0.15)
    stray = draw.normal(0, 1, (count, 3)) * (loose + 0.6 * flying[:, None])
    phase = draw.uniform(0, 2 * pi, count)
    thick = draw.uniform(0.0005, 0.0016) * draw.uniform(0.7, 1.3, count)
    wind = 0.04 * sin(0.5 * t) * np.array([1, 0.2, 0])
    steps = np.linspace(0, 1, 14)
    with path.open("w") as file:
        for n in range(count):
            along = length[n] * steps[:, None]
            way = out[n] * 0.9 + parting * 0.3 + stray[n]
            fall = np.array([0, -1, 0]) * weight * (0.2 if flying[n] else 1) * along**2
            wave = (
                curl
                * np.sqrt(steps)[:, None]
                * np.stack(
                    [np.cos(rate * along[:, 0] + phase[n]), 0 * steps, np.sin(rate * along[:, 0] + phase[n])], axis=-1
                )
            )
            line = out[n] * radii + way * along + fall + wave + wind * along
            # No hair runs through the head.
            inside = np.sqrt(((line / radii) ** 2).sum(axis=1, keepdims=True))
            line = np.where(inside < 1, line / np.maximum(inside, 1e-3), line)
            taper = thick[n] * (1 - 0.7 * steps**2)
            np.savetxt(file, np.column_stack([line, taper]), fmt="%.5f")
            file.write("\n")
    return str(path)


def _woven(path: Path, points: Numbers, closed: bool) -> str:
    """A grid of points ``(rows, columns, 3)`` as an OBJ file with texture coordinates and smooth normals."""
    rows, columns = points.shape[:2]
    if closed:
        points, columns = np.concatenate([points, points[:, :1]], axis=1), columns + 1
    across, down = np.gradient(points, axis=1), np.gradient(points, axis=0)
    normals = np.cross(down, across)
    normals /= np.maximum(np.linalg.norm(normals, axis=-1, keepdims=True), 1e-9)
    v, u = np.mgrid[0 : 1 : rows * 1j, 0 : 1 : columns * 1j]
    grid = 1 + np.arange(rows * columns).reshape(rows, columns)
    corners = np.stack([grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]], axis=-1).reshape(-1, 4)
    with path.open("w") as file:
        np.savetxt(file, points.reshape(-1, 3), fmt="v %.6f %.6f %.6f")
        np.savetxt(file, np.stack([u, v], axis=-1).reshape(-1, 2), fmt="vt %.5f %.5f")
        np.savetxt(file, normals.reshape(-1, 3), fmt="vn %.5f %.5f %.5f")
        for a, b, c, d in corners:
            file.write(f"f {a}/{a}/{a} {b}/{b}/{b} {c}/{c}/{c}\nf {a}/{a}/{a} {c}/{c}/{c} {d}/{d}/{d}\n")
    return str(path)


def bottle(draw: Draw) -> Numbers:
    """The profile of a bottle, a glass or a bowl, from its foot up."""
    high, wide = draw.uniform(0.5, 1.3), draw.uniform(0.14, 0.34)
    neck, shoulder = draw.uniform(0.25, 1.0), draw.uniform(0.5, 0.9)
    heights = np.array([0, 0.001, 0.04, 0.3, shoulder, min(shoulder + 0.15, 0.97), 1.0]) * high
    radii = np.array([0.001, 0.85, 1.0, draw.uniform(0.85, 1.1), 1.0, neck, neck * draw.uniform(0.95, 1.15)]) * wide
    fine = np.linspace(0, high, 80)
    return np.stack([np.interp(fine, heights, radii), fine - high / 2], axis=1)
