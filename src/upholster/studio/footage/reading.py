"""Reading footage through: its survey and small pictures, put in force once they are whole."""

import errno
import logging
import shutil
import time

from sqlalchemy import select

from upholster.core.documents.recipe import document_of, read_recipe
from upholster.core.first_recipe import first_look
from upholster.media.decoder.frames import Frame
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.proxy import ProxyWriter
from upholster.store.models import Footage, Reading, Revision, Shot
from upholster.store.session import session
from upholster.store.states import FootageState, ReadingState
from upholster.studio import drawings, paths, queue
from upholster.studio.footage import bring_in
from upholster.studio.making import keying

log = logging.getLogger(__name__)

#: Seconds between two notes of progress.
_TELL = 0.4


class _Superseded(Exception):
    """Somebody asked for another reading in the place of this one."""


def read(reading_id: int) -> None:
    """Read footage through once: small pictures to look at, the survey, and the first recipe."""
    with session() as db:
        reading = db.get(Reading, reading_id)
        if reading is None or reading.state not in (ReadingState.READING, ReadingState.WAITING):
            return
        footage = reading.footage
    if reading.state == ReadingState.WAITING:
        _put_in_force(reading_id)
        return
    source = bring_in.source_of(footage)._replace(facts=Facts.model_validate(reading.facts))
    if source.facts.kind == "sound":
        _update(reading_id, state=ReadingState.WAITING, frames_read=source.facts.length)
        _put_in_force(reading_id)
        return
    told = time.monotonic()

    def keep(number: int, frame: Frame) -> None:
        nonlocal told
        proxy.write(frame)
        if time.monotonic() - told > _TELL:
            told = time.monotonic()
            if not _update(reading_id, frames_read=number + 1):
                raise _Superseded

    home = paths.reading_folder(footage.sha256, reading_id)
    try:
        home.mkdir(exist_ok=True)
        with ProxyWriter(home / "proxy", source.facts.length) as proxy:
            found = keying.read_through(source, keep)
        keying.save_survey(home / "survey.npz", found.survey)
        look = first_look(found.survey, source.facts.pixel_aspect)
    except _Superseded:
        shutil.rmtree(home, ignore_errors=True)
        return
    except (MediaError, OSError) as error:
        shutil.rmtree(home, ignore_errors=True)
        give_up(reading_id, _sentence(error))
        return
    facts = source.facts.model_copy(update={"damaged": found.damaged})
    _update(
        reading_id,
        facts=facts.model_dump(mode="json"),
        state=ReadingState.WAITING,
        frames_read=source.facts.length,
        first_recipe=look.recipe.model_dump(mode="json"),
        sentences=list(look.sentences),
    )
    _put_in_force(reading_id)


def _put_in_force(reading_id: int) -> None:
    """Make a reading the one that is shown, unless renders still go by the one before."""
    with session() as db:
        reading = db.get(Reading, reading_id)
        if reading is None:
            return
        footage = db.get_one(Footage, reading.footage_id, with_for_update=True)
        if bring_in.renders_under_way(db, footage.id):
            return
        before = footage.reading_id
        footage.facts, footage.reading_id, footage.state = reading.facts, reading.id, FootageState.READY
        footage.first_recipe, footage.sentences = reading.first_recipe, reading.sentences
        reading.state = ReadingState.COMPLETE
        for shot in list(db.scalars(select(Shot).where(Shot.footage_id == footage.id, Shot.head == 0))):
            # Windows ask for a proposed mask by its digest.
            recipe = document_of(read_recipe(reading.first_recipe), drawings.keeper(db))
            db.add(Revision(shot_id=shot.id, number=1, change="First look", recipe=recipe))
            shot.head = 1
        stock_wanted = footage.stock_wanted
    if stock_wanted:
        queue.ask(queue.STOCK, footage_id=footage.id)
    for folder in paths.footage_folder(footage.sha256).glob("reading-*"):
        # The one before may be open in another process.
        if folder.name not in (f"reading-{reading_id}", f"reading-{before}"):
            shutil.rmtree(folder, ignore_errors=True)


def give_up(reading_id: int, problem: str) -> None:
    """End a reading with a sentence; footage that was ready before stays so."""
    with session() as db:
        reading = db.get(Reading, reading_id)
        if reading is None:
            return
        reading.state, reading.problem = ReadingState.FAILED, problem
        footage = db.get_one(Footage, reading.footage_id, with_for_update=True)
        if footage.state == FootageState.READING:
            footage.state = FootageState.FAILED


def unread() -> list[int]:
    """Readings that are under way, or wait to be put in force."""
    with session() as db:
        return list(db.scalars(select(Reading.id).where(Reading.state.in_(("reading", "waiting")))))


def _sentence(error: Exception) -> str:
    if isinstance(error, OSError):
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            return "The disk is full. Make room, then bring the footage in again."
        log.exception("footage could not be read")
        return "What was read could not be kept. See that the media folder can be written to, then bring it in again."
    return str(error)


def _update(reading_id: int, **values: object) -> bool:
    """Note something of a reading; False where it is not wanted any more."""
    with session() as db:
        reading = db.get(Reading, reading_id)
        if reading is None:
            return False
        for name, value in values.items():
            setattr(reading, name, value)
    return True
