"""What every format holds, as programs find it that had no part in writing it; kept in docs/formats.md.

    .venv/bin/python -m bench.formats [--format NAME ...] [--case NAME ...] [--write]

Plates of odd size, of 3 and more frames, at 24, 25, 29.97 and 59.94 frames a second, with 8, 10 and 16 bits, whole and
in part, with and without sound, are keyed and delivered by the command line in every format and kind of alpha. What
was made is opened by Debian's FFmpeg, Pillow, tifffile, OpenEXR and, where a browser shows the format, Chromium.
A cell says "ok", or by how much it is off. With --write the table goes into docs/formats_opened.md, which is a part of
docs/formats.md. Ends with 1 where anything is off.
"""

import argparse
import contextlib
import io
import sys
import tempfile
from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from bench.formats.browser import Browser
from bench.formats.plates import CASES, SUBJECT, Case, matte, plate
from bench.formats.readers import Seen, burst, by_ffmpeg, by_picture_readers, by_pillow
from numpy.typing import NDArray

from upholster.cli import main as upholster
from upholster.media.formats import FORMATS, Format

#: Mean error of the matte over all pixels, and of colour where the subject is solid, that the key and codec may make.
_MATTE, _COLOUR = 0.01, 0.035
#: What formats cannot hold, and say so.
_LIMITS = ("only widths that are a multiple of 16", "holds at most 50 frames a second")
#: Seconds a burst may be early or late: a tenth of a frame at 24 a second.
_IN_STEP = 0.004

HEAD = ["format", "kind", "plate", "alpha", "colour", "count", "rate", "lasts", "sound", "tags", "opened by"]


class Row(NamedTuple):
    """A delivery, and what was found of it, by the words of `HEAD`."""

    cells: list[str]
    wrong: bool


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--format", action="append", choices=FORMATS)
    parser.add_argument("--case", action="append", choices=[case.name for case in CASES])
    parser.add_argument("--write", action="store_true")
    asked = parser.parse_args()
    rows = []
    with tempfile.TemporaryDirectory() as folder, Browser() as browser:
        for case in CASES:
            if asked.case and case.name not in asked.case:
                continue
            source = plate(case, Path(folder))
            for row in _rows(case, source, [FORMATS[n] for n in asked.format or FORMATS], Path(folder), browser):
                rows.append(row)
                print(_line(row.cells), flush=True)
    if asked.write:
        (Path(__file__).parents[2] / "docs/formats_opened.md").write_text(_page(rows))
    sys.exit(any(row.wrong for row in rows))


def _rows(case: Case, source: Path, forms: Sequence[Format], folder: Path, browser: Browser) -> Iterator[Row]:
    for form in forms:
        for kind in form.alpha_kinds or ("",):
            head = [form.name, kind or "none", case.name]
            try:
                yield _judged(case, form, kind, _delivered(case, source, form, kind, folder), head, browser)
            except Refused as refused:
                known = any(words in str(refused) for words in _LIMITS)
                yield Row([*head, f"refused: {refused}", *[""] * 7], not known)


class Refused(Exception):
    """The command line did not make the file."""


def _delivered(case: Case, source: Path, form: Format, kind: str, folder: Path) -> Path:
    out = folder / f"{case.name}-{form.name}-{kind}{form.delivered_suffix if form.content != 'pair' else ''}"
    if form.sequence:
        out = out.with_suffix("")
    asked = ["key", str(source), str(out), "--format", form.name, "--frames", f"{case.first}-{case.last}"]
    asked += ["--alpha", kind] if kind else []
    asked += ["--sound"] if case.sound and "sound" in form.takes else []
    said = io.StringIO()
    try:
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
            upholster(asked, standalone_mode=False)
    except SystemExit as ended:
        if ended.code:
            raise Refused(said.getvalue().strip().rpartition("upholster: ")[2]) from None
    except Exception as error:
        raise Refused(f"{type(error).__name__}: {error}") from error
    return out


def _judged(case: Case, form: Format, kind: str, out: Path, head: list[str], browser: Browser) -> Row:
    seen, matte_seen = _seen(form, out)
    # Formats that halve chroma bring odd sides to even ones.
    size = seen.pictures.shape[2], seen.pictures.shape[1]
    truth = np.stack([cv2.resize(matte(case, n), size) for n in range(case.first, case.last + 1)])
    count = len(seen.pictures)
    same = truth[:count] if count <= case.length else truth
    # GIF and WebP keep time in hundredths and thousandths of a second.
    tick, rate = {"gif": 0.01, "webp": 0.001, "avif": 0.001}.get(form.container, 0.0), float(case.rate)
    cells = [
        _alpha(form, seen, matte_seen, same),
        _colour(form, kind, seen, same),
        "ok" if count == case.length else f"{count} of {case.length}",
        _within(seen.rate, rate, rate**2 * tick / case.length + 1e-3 * rate),
        _within(seen.seconds, case.length / rate, tick + 1.5e-3),
        _sound(case, form, out),
    ]
    shown = browser.shows(out, form.content == "keyed")
    by = seen.by + (f", Chromium{'' if shown == 'ok' else ': ' + shown}" if shown else "")
    good = all(cell in ("ok", "–") or cell.startswith("ok") for cell in cells) and shown in ("", "ok")
    return Row([*head, *cells, seen.tags or "–", by], not good)


def _seen(form: Format, out: Path) -> tuple[Seen, NDArray[np.float32] | None]:
    """What a reader finds, and the matte where it is a file of its own."""
    if form.sequence:
        seen = by_picture_readers(sorted(out.glob(f"*{form.suffix}")))
        return seen, seen.pictures[..., 0] if form.content == "matte" else None
    if form.content == "pair":
        fill, alone = sorted(out.glob(f"*{form.suffix}"))
        return by_ffmpeg(fill, 3), by_ffmpeg(alone, 3).pictures[..., 1]
    if form.name in ("webp", "avif", "gif", "apng"):
        return by_pillow(out), None
    seen = by_ffmpeg(out, 4 if form.alpha_depth else 3)
    return seen, seen.pictures[..., 1] if form.content == "matte" else None


def _alpha(form: Format, seen: Seen, alone: NDArray[np.float32] | None, truth: NDArray[np.float32]) -> str:
    found = alone if alone is not None else seen.pictures[..., 3] if form.alpha_depth else None
    if found is None:
        return "–"
    expected = (truth >= 0.5).astype(np.float32) if form.alpha_depth == 1 else truth
    if found.min() > 0.02 or found.max() < 0.98:
        return f"from {found.min():.2f} to {found.max():.2f}"
    off = float(np.abs(found[: len(expected)] - expected).mean())
    return "ok" if off < _MATTE else f"off by {off * 255:.1f}/255"


def _colour(form: Format, kind: str, seen: Seen, truth: NDArray[np.float32]) -> str:
    """The subject's colour where it is solid, and at soft edges the kind of alpha that was asked for."""
    if form.content == "matte":
        return "–"
    rgb = seen.pictures[: len(truth), ..., :3]
    solid = truth > 0.999
    off = float(np.abs(rgb[solid] - np.array(SUBJECT, np.float32)).mean())
    if off > _COLOUR:
        return f"off by {off * 255:.1f}/255"
    if form.content == "keyed" and form.alpha_depth > 1:
        soft = (truth > 0.3) & (truth < 0.7)
        share = truth[soft][:, None] if kind == "premultiplied" else 1
        edge = float(np.abs(rgb[soft] - share * np.array(SUBJECT, np.float32)).mean())
        if edge > 0.08:
            return f"edges off by {edge * 255:.0f}/255"
    return "ok"


def _within(found: Fraction | float | None, expected: float, most: float) -> str:
    if found is None:
        return "–"
    return "ok" if abs(float(found) - expected) <= most else f"{float(found):.3f}, not {expected:.3f}"


def _sound(case: Case, form: Format, out: Path) -> str:
    if not (case.sound and "sound" in form.takes):
        return "–"
    heard = burst(out)
    if heard is None:
        return "silent"
    at, lasts = heard
    late = at - (case.burst - case.first / float(case.rate))
    over = lasts - case.length / float(case.rate)
    if abs(late) > _IN_STEP:
        return f"{1000 * late:+.1f} ms"
    # A codec's last packet may be longer than what it holds of the sound; more than one frame is not a packet.
    return "ok" if abs(over) < 0.025 else f"{1000 * over:+.0f} ms at the end"


def _line(cells: Sequence[str]) -> str:
    return "| " + " | ".join(cell.replace("\n", " ").replace("|", "/") for cell in cells) + " |"


def _page(rows: Sequence[Row]) -> str:
    plates = [
        f"`{c.name}`: {c.width}x{c.height}, {c.depth} bits, {float(c.rate):.5g} frames a second, frames {c.first} to "
        f"{c.last} of {c.frames}{', sound ' + c.sound if c.sound else ''}"
        for c in CASES
    ]
    table = [_line(HEAD), _line(["---"] * len(HEAD)), *(_line(row.cells) for row in rows)]
    head = "Opened by programs that had no part in writing it (`bench/formats --write`). The plates: "
    return head + "; ".join(plates) + ".\n\n" + "\n".join(table) + "\n"


if __name__ == "__main__":
    main()
