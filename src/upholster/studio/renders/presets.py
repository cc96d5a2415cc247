"""Deliveries kept under a name, to be used again."""

from sqlalchemy import select

from upholster.media.delivery import Delivery, read_delivery
from upholster.store.models import Preset
from upholster.store.session import session
from upholster.studio.errors import Missing, Refused
from upholster.studio.naming import clean


def presets() -> list[Preset]:
    """All presets, by name."""
    with session() as db:
        return list(db.scalars(select(Preset).order_by(Preset.name)))


def save_preset(name: str, delivery: Delivery) -> Preset:
    """Keep a delivery; one of the same name is replaced."""
    name = clean(name, 60)
    if not name:
        raise Refused("Give the preset a name.")
    with session() as db:
        preset = db.scalar(select(Preset).where(Preset.name == name)) or Preset(name=name)
        preset.delivery = delivery.model_dump(mode="json")
        db.add(preset)
        db.flush()
        return preset


def rename_preset(preset_id: int, name: str) -> Preset:
    """Give a preset another name, which no other has."""
    name = clean(name, 60)
    if not name:
        raise Refused("Give the preset a name.")
    with session() as db:
        preset = db.get(Preset, preset_id)
        if preset is None:
            raise Missing("This preset is not here any more.")
        if db.scalar(select(Preset.id).where(Preset.name == name, Preset.id != preset_id)):
            raise Refused(f"There is a preset named {name} already. Choose another name.")
        preset.name = name
        return preset


def remove_preset(preset_id: int) -> None:
    with session() as db:
        preset = db.get(Preset, preset_id)
        if preset is None:
            raise Missing("This preset is not here any more.")
        db.delete(preset)


def preset_delivery(preset_id: int) -> Delivery:
    with session() as db:
        preset = db.get(Preset, preset_id)
        if preset is None:
            raise Missing("This preset is not here any more.")
        return read_delivery(preset.delivery)
