"""Masks of a shot on the Bench: followed, thinned, proposed, written and read."""

from fractions import Fraction

from flask import Blueprint, Response, jsonify

from upholster.core.masks.svg import from_svg, to_svg
from upholster.studio.errors import Refused
from upholster.studio.footage.bring_in import footage_of_bytes, source_of
from upholster.studio.looking import plates
from upholster.studio.making.from_mattes import masks_from
from upholster.studio.masks import following
from upholster.studio.shots import shots
from upholster.web.requests.body import asked_for
from upholster.web.requests.masks import Follow, OfMattes, SvgSent, Thin
from upholster.web.requests.recipes import OfRecipe

page = Blueprint("masks", __name__, url_prefix="/bench/<int:shot_id>")


@page.post("/masks/follow")
def follow(shot_id: int) -> Response:
    """A mask carried on by some frames; whoever wants more asks again from the last."""
    asked = asked_for(Follow)
    footage, recipe = plates.footage_of(shot_id), asked.read(shot_id)
    found = following.follow_mask(footage, recipe, asked.mask, asked.frame, asked.way, asked.motion)
    return jsonify(steps=[step._asdict() for step in found.steps], lost=found.lost)


@page.post("/masks/thin")
def thin(shot_id: int) -> Response:
    asked = asked_for(Thin)
    return jsonify(following.thin(asked.read(shot_id), asked.mask, asked.tolerance).document())


@page.post("/masks/propose")
def propose(shot_id: int) -> Response:
    recipe = asked_for(OfRecipe).read(shot_id)
    return jsonify(following.proposed(plates.footage_of(shot_id), recipe).model_dump(mode="json"))


@page.get("/masks.svg")
def masks_svg(shot_id: int) -> Response:
    """The masks in force as an SVG with animation."""
    state = shots.open_shot(shot_id)
    facts = state.footage.facts
    text = to_svg(state.recipe.masks, int(facts["width"]), int(facts["height"]), float(Fraction(facts["rate"])))
    response = Response(text, mimetype="image/svg+xml")
    response.headers.set("Content-Disposition", "attachment", filename=f"{state.shot.name} masks.svg")
    response.headers["Cache-Control"] = "no-store"
    return response


@page.post("/masks/read")
def read_masks(shot_id: int) -> Response:
    """The paths of an SVG as masks."""
    rate = float(Fraction(plates.footage_of(shot_id).facts["rate"]))
    try:
        found = from_svg(asked_for(SvgSent).svg, rate)
    except ValueError as error:
        raise Refused(f"This file could not be read: {error}.") from None
    return jsonify([mask.model_dump(mode="json") for mask in found])


@page.post("/masks/from-mattes")
def masks_from_mattes(shot_id: int) -> Response:
    """Mattes that were brought in as footage, as masks."""
    mattes = footage_of_bytes(asked_for(OfMattes).footage)
    if mattes is None:
        raise Refused("This footage is not here any more. Bring the mattes in on the Footage page.")
    plate = source_of(plates.footage_of(shot_id))
    return jsonify([mask.model_dump(mode="json") for mask in masks_from(source_of(mattes), plate.facts)])
