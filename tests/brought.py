"""Footage that a test brings into its house without a browser."""

from pathlib import Path

from conftest import wait_for
from plates import green_clip
from upholster.studio.footage import bring_in
from upholster.studio.shots import shots


def green_shot(folder: Path, name: str, length: int, uneven: float) -> int:
    """The number of the shot of a green plate, once it is read.

    A house is shared by whole files of tests: `name` and `uneven`, and with it the bytes, are this test's alone.
    """
    footage, _ = bring_in.take_in(green_clip(folder / f"{name}.mp4", length, uneven).parent, f"{name}.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    return shots.first_of(footage.id)
