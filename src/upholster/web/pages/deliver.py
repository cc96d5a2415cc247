"""The last line of the work order: delivering a shot, and presets."""

from functools import partial
from typing import Any

from flask import Blueprint, Response, jsonify

from upholster.media.delivery import Delivery, no_sound, read_delivery, too_odd
from upholster.media.facts import Facts
from upholster.media.formats import ALPHA_WORDS, FORMATS, NEEDS
from upholster.media.ready import READY
from upholster.media.sound import FASTEST, SLOWEST
from upholster.studio.looking import plates
from upholster.studio.renders import estimates, presets, renders
from upholster.studio.renders.traced import words_of_missing
from upholster.studio.shots import shots
from upholster.web import words
from upholster.web.quoting import quoted
from upholster.web.requests.body import Named, asked_for
from upholster.web.requests.deliveries import Flat, PresetKept, Quote, RenderAsked

page = Blueprint("deliver", __name__)


@page.post("/bench/<int:shot_id>/render")
def render(shot_id: int) -> Response:
    asked = asked_for(RenderAsked)
    deliveries = [read_delivery(document) for document in asked.deliveries]
    ordered = renders.order(shot_id, asked.revision, deliveries, asked.name)
    state = shots.open_shot(shot_id)
    return jsonify(names=[r.name for r in ordered], proposed=renders.proposed_name(state.shot))


@page.post("/bench/<int:shot_id>/quote")
def quote(shot_id: int) -> Response:
    """Size and time of deliveries; 204 where a newer question of the same window has come in since."""
    asked = asked_for(Quote)
    recipe, deliveries = asked.read(shot_id), [read_delivery(document) for document in asked.deliveries]
    footage = plates.footage_of(shot_id)
    found = quoted(asked.window, asked.sequence, partial(estimates.quote_shot, footage, recipe, deliveries))
    if found is None:
        return Response(status=204)
    first = words_of_missing(footage, recipe)
    cost = f"About {words.size(found.bytes)}, made in {words.seconds(found.seconds)}."
    return jsonify(bytes=found.bytes, words=f"{first} Then: {cost}" if first else cost)


@page.post("/bench/<int:shot_id>/flat")
def flat(shot_id: int) -> Response:
    """A flat colour looked at, or proposed."""
    asked = asked_for(Flat)
    return jsonify(estimates.flat(plates.footage_of(shot_id), asked.read(shot_id), asked.colour)._asdict())


@page.post("/presets")
def save_preset() -> Response:
    asked = asked_for(PresetKept)
    preset = presets.save_preset(asked.name, read_delivery(asked.delivery))
    return jsonify(id=preset.id, name=preset.name, delivery=preset.delivery)


@page.post("/presets/<int:preset_id>/name")
def rename_preset(preset_id: int) -> Response:
    return jsonify(name=presets.rename_preset(preset_id, asked_for(Named).name).name)


@page.post("/presets/<int:preset_id>/remove")
def remove_preset(preset_id: int) -> Response:
    presets.remove_preset(preset_id)
    return jsonify(ok=True)


def choices(facts: dict[str, Any]) -> dict[str, Any]:
    """What the Bench needs to offer deliveries of footage."""
    known = Facts.model_validate(facts)
    return {
        "needs": NEEDS,
        "alphaWords": ALPHA_WORDS,
        "sound": {"slowest": SLOWEST, "fastest": FASTEST, "words": too_odd(FASTEST + 1)},
        "defaults": Delivery(format="prores4444").model_dump(mode="json"),
        "formats": {
            f.name: {
                "title": f.title,
                "need": f.need,
                "kinds": f.alpha_kinds,
                "note": f.note,
                "takes": f.takes,
                "content": f.content,
                "noSound": no_sound(f, known),
            }
            for f in FORMATS.values()
        },
        "ready": [
            {"id": f"ready:{each.name}", "name": each.words, "delivery": each.delivery.model_dump(mode="json")}
            for each in READY
        ],
        "presets": [{"id": p.id, "name": p.name, "delivery": p.delivery} for p in presets.presets()],
    }
