"""A clip as a card for 3D: its pictures, a USD scene of all of them, and a glTF one of one or of a sheet."""

import json
from collections.abc import Sequence
from pathlib import Path

from upholster.media.card.gltf import write_gltf, wrong_gltf
from upholster.media.card.pictures import alpha_mode, sheet_of, write_sheet
from upholster.media.card.usd import write_usd, wrong_usd
from upholster.media.delivery import Plan
from upholster.media.files import put_text

#: A sheet lies in a folder below: it is no picture of the sequence.
_SCENE, _SHEET, _TOLD = "card.glb", "sheet/atlas.png", "card.json"


def write_card(planned: Plan, folder: Path, pictures: Sequence[Path]) -> None:
    """Write what makes a card of the pictures in `folder`, beside them.

    ``card.json`` says how wide it is, how long its pictures last, how its alpha is meant, and how a sheet is laid out.
    """
    delivery, rate = planned.delivery, planned.timing.rate
    width = delivery.metres
    height = width * planned.height / planned.width
    mode = alpha_mode(pictures)
    sheet = sheet_of(planned.width, planned.height, len(pictures)) if delivery.atlas else None
    told = {
        "metres": [width, height],
        "rate": str(rate),
        "frames": len(pictures),
        "alpha": "straight",
        "alphaMode": mode,
        "pictures": [picture.name for picture in pictures],
    }
    shown = pictures[_still(planned)]
    if sheet:
        shown = folder / _SHEET
        shown.parent.mkdir(exist_ok=True)
        write_sheet(pictures, sheet, shown)
        told["atlas"] = {"file": _SHEET, **sheet._asdict()}
    else:
        told["shown"] = shown.name
    write_usd(folder, pictures, width, height, rate, mode)
    write_gltf(folder / _SCENE, shown, width, height, mode, sheet, told)
    put_text(folder / _TOLD, json.dumps(told, indent=2) + "\n")


def wrong_card(planned: Plan, folder: Path, pictures: Sequence[Path]) -> str:
    """What is wrong with a card as it is read back; empty where nothing is."""
    shown = folder / _SHEET if planned.delivery.atlas else pictures[_still(planned)]
    return wrong_usd(folder, pictures) or wrong_gltf(folder / _SCENE, shown)


def card_files(planned: Plan) -> tuple[str, ...]:
    """What a card's files are called, beside its pictures."""
    return ("card.usda", "card.usdz", _SCENE, _TOLD, *((_SHEET,) if planned.delivery.atlas else ()))


def _still(planned: Plan) -> int:
    return min(planned.delivery.still, planned.timing.frames - 1)
