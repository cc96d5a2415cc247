"""Masks as files: an SVG of all frames, one a frame, or what they leave of each frame in grey."""

import shutil
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from upholster.core.documents.masks import Masks
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.screen import Screen
from upholster.core.masks.svg import frame_to_svg, to_svg
from upholster.core.pipeline.runner import key, plate_of
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.files import put_text


def write_svg(path: Path, masks: Masks, facts: Facts) -> None:
    """One SVG with the course of every mask as animation."""
    text = to_svg(masks, facts.width, facts.height, float(facts.rate))
    put_text(path, text)


def write_svgs(folder: Path, masks: Masks, facts: Facts) -> None:
    """A numbered SVG for each frame."""

    def write(stem: Path, frame: int) -> None:
        stem.with_suffix(".svg").write_text(frame_to_svg(masks, facts.width, facts.height, frame))

    _write_all(folder, facts.length, write)


def write_mattes(folder: Path, masks: Masks, facts: Facts) -> None:
    """A numbered grey PNG of 16 bits for each frame: what the masks leave of a picture of which nothing is keyed."""
    plate = plate_of(np.zeros((3, facts.height, facts.width), np.float32))
    recipe = Recipe(screen=Screen(kind="none"), masks=masks)

    def write(stem: Path, frame: int) -> None:
        alpha = key(plate, recipe, frame, None).alpha
        cv2.imwrite(str(stem.with_suffix(".png")), np.rint(alpha * 65535).astype(np.uint16))

    _write_all(folder, facts.length, write)


def _write_all(folder: Path, length: int, write: Callable[[Path, int], None]) -> None:
    """Let a folder take its name once all of its files are there."""
    if folder.exists():
        raise MediaError(f"{folder} is there already. Nothing is overwritten; choose another name.")
    part = folder.with_name(folder.name + ".part")
    shutil.rmtree(part, ignore_errors=True)
    part.mkdir(parents=True)
    for frame in range(length):
        write(part / f"{frame:06d}", frame)
    part.replace(folder)
