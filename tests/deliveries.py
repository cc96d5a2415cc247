"""Delivering frames made by a test, through the whole of the real way to a file."""

from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple
from unittest.mock import patch

from plates import Plane
from upholster.core.documents.recipe import Recipe, Take
from upholster.media.delivery import Delivery, Plan, plan
from upholster.media.facts import Facts
from upholster.media.formats import FORMATS
from upholster.media.proof import Proof
from upholster.studio.making.assembling import assemble
from upholster.studio.making.keying import Footage, KeyedFrame, KeyJob
from upholster.studio.making.orders import Order
from upholster.studio.making.parts import Part, part_path, write_part
from upholster.studio.making.proving import prove_files

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
    take: Take | None = None,
    **choices: Any,
) -> Delivered:
    """Deliver straight keyed `frames` in parts that begin at `cuts`, and prove them against `expected`."""
    height, width = frames[0][1].shape
    form = FORMATS[name]
    facts = Facts(
        kind="video", container="mov", codec="", width=width, height=height, length=len(frames), rate=Fraction(rate),
        depth=8,
    )  # fmt: skip
    key_job = KeyJob(Footage((), facts), Recipe(take=take or Take()), None)
    choices.setdefault("alpha", (form.alpha_kinds or ("straight",))[0])
    if form.content == "flat":
        choices.setdefault("colour", "#1ab833")
    planned = plan(Delivery(format=name, **choices), facts, key_job.recipe.take)
    order = Order(planned, ground)
    folder.mkdir(parents=True, exist_ok=True)
    starts = [0, *cuts]
    with keyed_as(frames):
        for position, (first, end) in enumerate(zip(starts, [*cuts, planned.timing.frames], strict=True)):
            target = part_path(folder, position, form)
            write_part(key_job, [Part(order, target)], range(first, end))
        target = folder / ("pair" if form.content == "pair" else f"clip{form.suffix}")
        files = assemble(key_job, planned, folder, len(starts), target)
    with keyed_as(expected or frames):
        return Delivered(planned, files, prove_files(key_job, order, files))


def keyed_as(frames: Sequence[Keyed]) -> Any:
    """Within this block, keying gives `frames`."""

    def made(job: KeyJob, numbers: Sequence[int]) -> Iterator[KeyedFrame]:
        yield from (KeyedFrame(*frames[n]) for n in numbers)

    return patch.object(KeyJob, "frames", made)
