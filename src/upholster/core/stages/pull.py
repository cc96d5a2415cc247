"""Pulling coverage out of a plate, given what is known of its screen."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import Lattice, area, grid_row, spread
from upholster.core.kernels import compiled, over_rows
from upholster.core.recipe import Kind
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.screen.metric import TO_METRIC, to_metric

Plane = NDArray[np.float32]

#: Longer side of the grid on which the subject's own colours are gathered.
SUBJECT_GRID = 320


def pull(plate: Plane, kind: Kind, known: ScreenKnowledge | None) -> Plane:
    """Coverage 0..1 of the subject in ``(3, h, w)`` `plate`, before any choice of clear and solid."""
    height, width = plate.shape[1:]
    if kind == "none" or known is None:
        return np.ones((height, width), np.float32)
    out = np.empty((height, width), np.float32)
    grid = known.plate
    lattice = (*Lattice.of(width, grid.shape[2]), *Lattice.of(height, grid.shape[1]))
    if kind == "dark":
        over_rows(_emission, height, plate, grid, *lattice, out)
    elif kind == "light":
        over_rows(_absorption, height, plate, grid, *lattice, out)
    else:
        subject = subject_colours(plate, kind, known)
        fine = (*Lattice.of(width, subject.shape[2]), *Lattice.of(height, subject.shape[1]))
        over_rows(_projection, height, plate, grid, *lattice, subject, *fine, TO_METRIC, out)
    return out


def subject_colours(plate: Plane, kind: Kind, known: ScreenKnowledge) -> Plane:
    """The solid subject's colours, carried outward over the whole picture.

    Returns
    -------
    (3, rows, columns) float32
        On a coarse grid; where nothing solid was found, the screen's complement.
    """
    height, width = plate.shape[1:]
    size = max(1.0, max(height, width) / SUBJECT_GRID)
    columns, rows = max(1, round(width / size)), max(1, round(height / size))
    cells = area(plate, columns, rows)
    screen = area(known.plate, columns, rows) if known.plate.shape[2] > columns else _to_grid(known.plate, columns, rows)
    if kind in ("dark", "light"):
        cover = pull(cells, kind, known)
        own = (cells - (1 - cover) * screen) / np.maximum(cover, np.float32(1e-3))
        # Squared: a bright core knows its colour, a faint veil of grain does not.
        return spread(np.clip(own, 0, 1).astype(np.float32), np.clip(cover * cover * 4, 0, 1))
    sure = _surely_subject(cells, screen, kind, known)
    if not sure.any():
        return (np.float32(1) - screen).astype(np.float32)
    return spread(cells, sure)


def _to_grid(grid: Plane, columns: int, rows: int) -> Plane:
    out = np.empty((3, rows, columns), np.float32)
    across, down = Lattice.of(columns, grid.shape[2]), Lattice.of(rows, grid.shape[1])
    over_rows(_interpolate, rows, grid, *across, *down, out)
    return out


def _surely_subject(cells: Plane, screen: Plane, kind: Kind, known: ScreenKnowledge) -> Plane:
    """Confidence 0..1 that a cell holds nothing of the screen."""
    if kind == "screen":
        p = known.primary
        a, b = [c for c in range(3) if c != p]
        left = cells[p] - np.maximum(cells[a], cells[b])
        whole = np.maximum(screen[p] - np.maximum(screen[a], screen[b]), np.float32(0.02))
        cover = 1 - left / whole
        return np.clip((cover - np.float32(0.9)) * 20, 0, 1).astype(np.float32)
    away = np.linalg.norm(to_metric(cells) - to_metric(screen), axis=0)
    strength = np.linalg.norm(to_metric(screen)[1:], axis=0)
    bound = np.maximum(np.float32(0.6) * strength, np.float32(12 * known.noise + 0.05))
    return np.clip((away / bound - 1) * 4, 0, 1).astype(np.float32)


@compiled
def _interpolate(grid, xi, xw, yi, yw, out, first, end):  # type: ignore[no-untyped-def]
    row = np.empty(grid.shape[2], np.float32)
    last = grid.shape[2] - 1
    for j in range(first, end):
        for c in range(3):
            grid_row(grid, c, j, yi, yw, row)
            for i in range(xi.shape[0]):
                a = xi[i]
                out[c, j, i] = row[a] * (np.float32(1) - xw[i]) + row[min(a + 1, last)] * xw[i]


@compiled
def _emission(plate, grid, xi, xw, yi, yw, out, first, end):  # type: ignore[no-untyped-def]
    """alpha = max over primaries of (C - B) / (1 - B): the least coverage whose colour stays within 1."""
    row = np.empty((3, grid.shape[2]), np.float32)
    last = grid.shape[2] - 1
    for j in range(first, end):
        for c in range(3):
            grid_row(grid, c, j, yi, yw, row[c])
        for i in range(out.shape[1]):
            a = xi[i]
            b = min(a + 1, last)
            t = xw[i]
            cover = np.float32(0)
            for c in range(3):
                screen = row[c, a] * (np.float32(1) - t) + row[c, b] * t
                cover = max(cover, (plate[c, j, i] - screen) / max(np.float32(1) - screen, np.float32(1e-3)))
            out[j, i] = min(cover, np.float32(1))


@compiled
def _absorption(plate, grid, xi, xw, yi, yw, out, first, end):  # type: ignore[no-untyped-def]
    """alpha = max over primaries of (B - C) / B: the mirror of emission."""
    row = np.empty((3, grid.shape[2]), np.float32)
    last = grid.shape[2] - 1
    for j in range(first, end):
        for c in range(3):
            grid_row(grid, c, j, yi, yw, row[c])
        for i in range(out.shape[1]):
            a = xi[i]
            b = min(a + 1, last)
            t = xw[i]
            cover = np.float32(0)
            for c in range(3):
                screen = row[c, a] * (np.float32(1) - t) + row[c, b] * t
                cover = max(cover, (screen - plate[c, j, i]) / max(screen, np.float32(1e-3)))
            out[j, i] = min(cover, np.float32(1))


@compiled
def _projection(plate, grid, xi, xw, yi, yw, subject, sxi, sxw, syi, syw, metric, out, first, end):  # type: ignore[no-untyped-def]
    """alpha = <C - B, F - B> / <F - B, F - B>, local B and F, in the key's metric, within 0..1."""
    row = np.empty((3, grid.shape[2]), np.float32)
    near = np.empty((3, subject.shape[2]), np.float32)
    m = metric.T @ metric
    last, subject_last = grid.shape[2] - 1, subject.shape[2] - 1
    one = np.float32(1)
    for j in range(first, end):
        for c in range(3):
            grid_row(grid, c, j, yi, yw, row[c])
            grid_row(subject, c, j, syi, syw, near[c])
        for i in range(out.shape[1]):
            a, t = xi[i], xw[i]
            b = min(a + 1, last)
            e, u = sxi[i], sxw[i]
            f = min(e + 1, subject_last)
            br = row[0, a] * (one - t) + row[0, b] * t
            bg = row[1, a] * (one - t) + row[1, b] * t
            bb = row[2, a] * (one - t) + row[2, b] * t
            dr = near[0, e] * (one - u) + near[0, f] * u - br
            dg = near[1, e] * (one - u) + near[1, f] * u - bg
            db = near[2, e] * (one - u) + near[2, f] * u - bb
            vr = m[0, 0] * dr + m[0, 1] * dg + m[0, 2] * db
            vg = m[1, 0] * dr + m[1, 1] * dg + m[1, 2] * db
            vb = m[2, 0] * dr + m[2, 1] * dg + m[2, 2] * db
            length = max(vr * dr + vg * dg + vb * db, np.float32(1e-4))
            along = (plate[0, j, i] - br) * vr + (plate[1, j, i] - bg) * vg + (plate[2, j, i] - bb) * vb
            out[j, i] = min(max(along / length, np.float32(0)), one)
