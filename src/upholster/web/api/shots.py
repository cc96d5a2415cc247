"""Shots for scripts: their recipes, given to others as well, and what is wrong with them."""

from upholster.core.documents.recipe import document_of, read_recipe
from upholster.studio.findings import measuring
from upholster.studio.findings import standing as findings
from upholster.studio.shots import copying, shots
from upholster.web.api import shapes
from upholster.web.api.offers import Offer


def get_shot(shot_id: int) -> shapes.Shot:
    return _shot(shots.open_shot(shot_id))


def get_recipe(shot_id: int) -> shapes.RecipeAnswer:
    state = shots.open_shot(shot_id)
    return shapes.RecipeAnswer(revision=state.revision, recipe=document_of(state.recipe))


def put_recipe(shot_id: int, sent: shapes.RecipeSent) -> shapes.Shot:
    state = shots.open_shot(shot_id)
    recipe = read_recipe(sent.recipe)
    return _shot(shots.revise(shot_id, recipe, sent.change, state.revision if sent.seen is None else sent.seen))


def get_findings(shot_id: int) -> shapes.Findings:
    state = shots.open_shot(shot_id)
    known = findings.standing(state.shot, state.footage, state.recipe)
    if known.missing:
        measuring.ask(shot_id)
    return shapes.Findings(missing=known.missing, findings=[_finding(told) for told in known.findings])


def give_recipe(shot_id: int, sent: shapes.RecipeGiven) -> shapes.GivenList:
    give = copying.link if sent.linked else copying.give_recipe
    return shapes.GivenList(given=[shapes.Given(**g._asdict()) for g in give(shot_id, sent.shots, sent.lines)])


def _shot(state: shots.State) -> shapes.Shot:
    change = next(r.change for r in shots.history(state.shot.id) if r.number == state.revision)
    return shapes.Shot(
        id=state.shot.id, name=state.shot.name, footage=state.footage.id, revision=state.revision, change=change
    )


def _finding(told: findings.Told) -> shapes.Finding:
    finding = told.finding
    return shapes.Finding(
        kind=finding.kind,
        first=finding.first,
        last=finding.last,
        worst=finding.worst,
        severity=finding.severity,
        box=finding.place.box,
        sentence=told.sentence,
        left_alone=told.alone,
    )


OFFERS = [
    Offer("GET", "/shots/<int:shot_id>", "A shot.", get_shot, answers=shapes.Shot),
    Offer("GET", "/shots/<int:shot_id>/recipe", "Its recipe in force.", get_recipe, answers=shapes.RecipeAnswer),
    Offer("PUT", "/shots/<int:shot_id>/recipe", "Give it another recipe, as a new revision.", put_recipe,
          sends=shapes.RecipeSent, answers=shapes.Shot),
    Offer("GET", "/shots/<int:shot_id>/findings", "What is wrong with it, the worst first.", get_findings,
          answers=shapes.Findings),
    Offer("POST", "/shots/<int:shot_id>/given", "Give lines of its recipe to other shots, or link them with it.",
          give_recipe, sends=shapes.RecipeGiven, answers=shapes.GivenList, status=201),
]  # fmt: skip
