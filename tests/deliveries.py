"""Delivering frames made by a test, through the whole of the real way to a file."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple
from unittest.mock import patch

from plates import Plane
from upholster.core.recipe import Recipe
from upholster.media.delivery import Delivery, Plan, plan
from upholster.media.facts import Facts
from upholster.media.formats import FORMATS
from upholster.media.proof import Proof
from upholster.studio import delivering
from upholster.studio.keying import Footage, Making
from upholster.studio.keying import Keyed as Made

Keyed = tuple[Plane, Plane]


class Delivered(NamedTuple):
    planned: Plan
    files: list[Path]
    proof: Proof


def deliver(
    frames: Sequence[Keyed],
    folder: Path,
    name: str,
    *,
    rate: Fraction | int = 24,
    cuts: Sequence[int] = (),
    expected: Sequence[Keyed] | None = None,
    ground: Footage | None = None,
    **choices: Any,
) -> Delivered:
    """Deliver straight keyed `frames` in parts that begin at `cuts`, and prove them against `expected`."""
    height, width = frames[0][1].shape
    form = FORMATS[name]
    facts = Facts(
        kind="video", container="mov", codec="", width=width, height=height, length=len(frames), rate=Fraction(rate),
        depth=8,
    )  # fmt: skip
    making, take = Making(Footage((), facts), Recipe(), None), range(len(frames))
    choices.setdefault("alpha", (form.alpha_kinds or ("straight",))[0])
    if form.content == "flat":
        choices.setdefault("colour", "#1ab833")
    planned = plan(Delivery(format=name, **choices), facts, take)
    order = delivering.Order(planned, ground)
    folder.mkdir(parents=True, exist_ok=True)
    starts = [0, *cuts]
    with keyed_as(frames):
        for position, (first, end) in enumerate(zip(starts, [*cuts, planned.timing.frames], strict=True)):
            target = delivering.part_path(folder, position, form)
            delivering.write_part(making, take, [delivering.Part(order, target)], range(first, end))
        target = folder / ("pair" if form.content == "pair" else f"clip{form.suffix}")
        files = delivering.assemble(making, take, planned, folder, len(starts), target)
    with keyed_as(expected or frames):
        return Delivered(planned, files, delivering.prove_files(making, take, order, files))


def keyed_as(frames: Sequence[Keyed]) -> Any:
    """Within this block, keying gives `frames`."""
    return patch.object(delivering, "keyed_frames", lambda making, numbers: (Made(*frames[n]) for n in numbers))
