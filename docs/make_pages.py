"""Writes docs/recipe.md and docs/formats.md from the code; with --check, tells whether they are current."""

import sys
from pathlib import Path
from typing import Any

from upholster.core.documents.fitting import Frame, Ground, Layer, Repeat, Source
from upholster.core.documents.masks import Mask
from upholster.core.documents.recipe import VERSION, Recipe
from upholster.core.documents.screen import Sample
from upholster.core.documents.settings import Settings
from upholster.core.documents.traces import Trace
from upholster.core.documents.tracks import Keyframe
from upholster.core.stages.finish.grade import CurvePoint
from upholster.core.stages.finish.match import Scene
from upholster.media.delivery import Delivery
from upholster.media.formats import FORMATS, NEEDS, Format

HERE = Path(__file__).parent

HEAD = f"""# The recipe

Every choice made for a shot, in one JSON document, version {VERSION}. Unknown fields are refused and older
versions are migrated on reading. Pixels are pixels of the plate; frames are counted from 0 of the footage.
This page is made from the models in `src/upholster/core/documents/recipe.py` and `core/stages` by `docs/make_pages.py`.

A *number* is one constant, or a list of keyframes in rising order of frames: `{{"frame": 12, "value": 0.3,
"next": "linear"}}`. `next` says how to reach the next keyframe: `hold`, `linear` or `smooth` (a monotone cubic,
which never overshoots). Before the first and after the last keyframe the number is constant. Frames of keyframes
are those of the footage, whatever the take does with its speed and direction.
"""


def table(model: type[Any]) -> str:
    rows = ["| field | default | bounds | meaning |", "| --- | --- | --- | --- |"]
    numbers = model.tracks() if issubclass(model, Settings) else {}
    for name, field in model.model_fields.items():
        if name == "version" or (isinstance(field.annotation, type) and issubclass(field.annotation, Settings)):
            continue
        bounds = numbers.get(name)
        within = (
            f"number, {bounds['low']:g} to {bounds['high']:g} {bounds['unit']}".strip() if bounds else limits(field)
        )
        default = "required" if field.is_required() else f"`{field.default!r}`"
        rows.append(f"| `{name}` | {default} | {within} | {field.description or ''} |")
    return "\n".join(rows)


def limits(field: Any) -> str:
    """The bounds of a plain number."""
    found = {type(limit).__name__: limit for limit in field.metadata}
    if "Ge" not in found:
        return ""
    return f"{found['Ge'].ge:g} to {found['Le'].le:g}" if "Le" in found else f"from {found['Ge'].ge:g}"


OUTLINE = """## An outline

`course` of a mask: `closed` (an open shape covers nothing), `tied` (for each point, whether its two handles move
together) and `keys`, keyframes in rising order: `frame`, `next` (hold, linear or smooth) and `points`, as many on each.
A point is two numbers, a corner's place `[x, y]`, or eight: `[x, y, in_x, in_y, out_x, out_y, feather_in,
feather_out]`, the handles before and after it as ways from there, and how much further its feather reaches than the
mask's. From one point to the next goes a cubic Bézier curve; what a line winds around at all is inside (non-zero)."""


STROKES = """## Strokes, and a recipe made of them alone

`strokes` of a trace is a list of `{"frame": 0, "kind": "keep", "radius": 6, "points": [[x, y], ...]}`: `kind` is
`keep`, `drop` or `soft`, `radius` is in pixels of the plate, one point is a dot. Where strokes cross, the later counts.
`radii` has a radius for each point where a pen was pressed more or less; `"on": false` leaves a stroke out. The base
frame has at least one stroke to keep. Strokes on other frames correct the matte there: what lies between two frames
with strokes is carried from both, what comes after the last from there on.

`traces` (and `masks`) may be a plain list, in the order in which they join. So this is a whole recipe, for a plate of
60 frames with no screen: a kite by two strokes on frame 0, corrected on frame 40.

```json
{
  "version": 2,
  "traces": [
    {
      "name": "Kite", "base": 0, "first": 0, "last": 59,
      "strokes": [
        {"frame": 0, "kind": "keep", "radius": 12, "points": [[480, 170], [520, 240], [470, 300]]},
        {"frame": 0, "kind": "drop", "radius": 8, "points": [[380, 80], [640, 90], [650, 420], [360, 410], [380, 80]]},
        {"frame": 40, "kind": "drop", "radius": 4, "points": [[602, 215]]}
      ]
    }
  ]
}
```

    upholster key plate.mp4 kite.mov --recipe kite.json --cache mattes/

makes what is missing of the mattes, keeps it in `mattes/` (a run that is stopped goes on from there), and delivers."""


def page() -> str:
    parts = [HEAD]
    for name, field in Recipe.model_fields.items():
        model = field.annotation
        if isinstance(model, type) and issubclass(model, Settings):
            parts += [f"## `{name}`", (model.__doc__ or "").strip(), "", table(model), ""]
    parts += [
        "## A point of the curve",
        "",
        table(CurvePoint),
        "",
        "## A ground, as it was measured",
        "",
        table(Scene),
        "",
    ]
    parts += ["## A mask", "", table(Mask), "", OUTLINE, ""]
    parts += ["## A trace", "", table(Trace), "", STROKES, ""]
    parts += ["## A sample of the screen", "", table(Sample), "", "## A keyframe", "", table(Keyframe), ""]
    return "\n".join(parts)


FORMATS_HEAD = """# Formats

In: whatever the FFmpeg libraries in PyAV decode, animated WebP, PNG, JPEG and other stills, TIFF (8, 16 bits,
float), OpenEXR; numbered pictures as a folder, a pattern or a zip. The matrix is the one tagged; untagged pictures
of 720 lines or 1280 columns and more are taken as BT.709, smaller ones as BT.601, and the interface says so. Where
chroma lies between the columns of luma is measured. All three can be told otherwise on the Footage page, and with
`--plate-colour bt601,full,center` on the command line. PQ, HLG and BT.2020 are brought to BT.709 (white as Report
BT.2408 has it), interlaced clips on request to one moment. Varying
rates are brought to a constant one. Alpha in a file is kept: TIFF's ExtraSamples and OpenEXR's premultiplication are
undone, and where a container does not say which kind it holds, Upholster looks at the soft edges and decides; what it
decided can be changed on the Footage page.

Out, by what the clip is for. All are proofed: the finished file is read back by a new process and every frame is
compared with what was computed. This page is made from `src/upholster/media/formats.py` by `docs/make_pages.py`.
"""

FORMATS_TAIL = """## What is written

Video is tagged BT.709; component video is limited range. Colour under clear pixels is the subject's own, carried
outward, so lossy codecs have no dark edge to bleed. Smaller and larger sizes are filtered premultiplied. Beside each
file lies a JSON sidecar: recipe, revision, delivery, what it was made from (name, SHA-256, rate, numbers, timecode),
colour tags, proof, program version. Numbered pictures go on from the plate's own numbers, MOV and Matroska from its
timecode.

HEVC with alpha is not offered: the encoder in PyAV's libraries takes no alpha, so no round trip can prove it.

## The choices of a delivery
"""


def formats_page() -> str:
    parts = [FORMATS_HEAD]
    for need, words in NEEDS.items():
        parts += [
            f"## For {words}",
            "",
            "| name | file | colour, alpha bits | kinds of alpha | a proof allows | |",
            "| --- | --- | --- | --- | --- | --- |",
            *(row(form) for form in FORMATS.values() if form.need == need),
            "",
        ]
    opened = (HERE / "formats_opened.md").read_text()
    return "\n".join([*parts, FORMATS_TAIL, table(Delivery), "", "## Opened by others", "", opened])


def row(form: Format) -> str:
    bits = f"{form.depth}, {form.alpha_depth}" if form.alpha_depth else f"{form.depth}, none"
    kinds = ", ".join(form.alpha_kinds) or ""
    allowed = "exact" if form.lossless else f"colour {form.mean_colour * 255:.2g}/255 on average"
    if form.worst_alpha < 1 and not form.lossless:
        worst, mean = form.worst_alpha * 255, form.mean_alpha * 255
        allowed = f"alpha {worst:.2g}/255 at worst, {mean:.2g}/255 on average"
    return f"| `{form.name}` | {form.title}, {form.suffix} | {bits} | {kinds} | {allowed} | {form.note} |"


FITTING_HEAD = """# The fitting

Clips in layers over a ground, in one JSON document, version 1. Pixels are pixels of the fitting, counted from its
centre; frames are frames of the fitting; a *number* is a constant or keyframes, as in [the recipe](recipe.md).
This page is made from `src/upholster/core/documents/fitting.py` by `docs/make_pages.py`.

`layers` is a plain list, or `order` and `each` by marks, from the bottom to the top. So this is a whole fitting: a moon
that drifts behind twelve kites, over a harbour.

```json
{
  "frame": {"width": 1280, "height": 720, "rate": "24", "length": 96},
  "ground": {"source": {"kind": "file", "path": "harbour.png"}},
  "layers": [
    {"name": "Moon", "source": {"kind": "file", "path": "moon.mov"}, "blend": "screen", "scale": 0.4, "y": -180,
     "x": [{"frame": 0, "value": -300, "next": "smooth"}, {"frame": 95, "value": 260}]},
    {"name": "Kites", "source": {"kind": "file", "path": "kite.mp4", "recipe": "kite.json"}, "scale": 0.25,
     "repeat": {"copies": 12, "spread_x": 500, "spread_y": 90, "spread_frames": 40, "spread_scale": 0.4, "seed": 7}}
  ]
}
```

    upholster fit evening.json evening.mov
    upholster fit evening.json review.mp4
    upholster fit evening.json moon.mov --layer Moon
    upholster fit evening.json layers/ --apart
    upholster timeline evening.json evening.otio

The first has alpha and no ground, the second lies over its ground since H.264 has no alpha, the third is one layer
apart. With `over` alone, the first laid over the ground is the second; light that is *added* or *screened* over nothing
can only be kept as far as an alpha channel can say it. The fourth writes each layer as a clip of its own, and what it
is at on every frame as CSV and JSON; the fifth a timeline of OpenTimelineIO, with the layers' times and speeds, which
reads back. Layers whose files have sound are heard with `--sound`; a file may hold sound alone.
"""


def fitting_page() -> str:
    parts = [FITTING_HEAD]
    for title, model in (
        ("Its frame", Frame), ("Its ground", Ground), ("A layer", Layer), ("Where pictures come from", Source),
        ("Repeated", Repeat),
    ):  # fmt: skip
        parts += [f"## {title}", "", table(model), ""]
        if model is Layer:
            words = "`source`, `repeat` (below) and `finish`, which is that of [the recipe](recipe.md#finish)."
            parts += [f"A layer has three more parts: {words}", ""]
    return "\n".join(parts)


PAGES = {"recipe.md": page, "formats.md": formats_page, "fitting.md": fitting_page}

if __name__ == "__main__":
    for name, make in PAGES.items():
        if "--check" not in sys.argv:
            (HERE / name).write_text(make())
        elif (HERE / name).read_text() != make():
            sys.exit(f"docs/{name} is out of date: run docs/make_pages.py.")
