"""Masks that are proposed for new footage are kept as drawings, so that windows find them."""

from pathlib import Path

from sqlalchemy import delete, update

from conftest import House, wait_for
from plates import studio_clip
from upholster.core.documents.recipe import document_of
from upholster.store.models import Drawing, Revision
from upholster.store.session import session
from upholster.studio import drawings
from upholster.studio.footage import bring_in
from upholster.studio.shots import revisions, shots


def kept(digest: str) -> bool:
    with session() as db:
        return db.get(Drawing, digest) is not None


def test_a_proposed_mask_is_kept_and_one_of_an_older_house_is_from_now_on(house: House, tmp_path: Path) -> None:
    studio_clip(tmp_path / "owl_walls.mp4", 9)
    footage, _ = bring_in.take_in(tmp_path, "owl_walls.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    shot = shots.first_of(footage.id)
    recipe = shots.open_shot(shot).recipe
    (mask,) = recipe.masks.in_order
    assert kept(mask.course.digest)
    # An older house has it in full, and no drawing.
    with session() as db:
        db.execute(delete(Drawing).where(Drawing.sha256 == mask.course.digest))
        db.execute(update(Revision).where(Revision.shot_id == shot).values(recipe=document_of(recipe)))
    revisions._known.clear()
    drawings._known.clear()
    assert shots.open_shot(shot).recipe == recipe
    assert kept(mask.course.digest)
    drawings._known.clear()
    assert drawings.find(mask.course.digest) == mask.course
