"""What landed in watched folders, gone on with step by step: brought in, keyed, delivered, put away."""

import logging
import shutil
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.exc import OperationalError

from upholster.media.errors import MediaError
from upholster.media.files import put_text
from upholster.store.models import Arrival, Watched
from upholster.store.session import session
from upholster.store.states import ArrivalState, FootageState, RenderState
from upholster.studio import paths
from upholster.studio.errors import Missing, Refused
from upholster.studio.findings import measuring, sheets
from upholster.studio.footage import bring_in
from upholster.studio.renders import listed, renders
from upholster.studio.renders.states import ACTIVE
from upholster.studio.shots import copying, shots
from upholster.studio.shots.lines import LINES, OWN, Line
from upholster.studio.stock import stock
from upholster.studio.watched import folders
from upholster.studio.watched.landing import DELIVERED, DONE, FAILED, Landing, free, put_away

log = logging.getLogger(__name__)

#: Seconds after which what does not grow has arrived.
_STILL = 4.0
#: What a shot's recipe gives to what lands; what is trimmed and drawn is its own.
_GIVEN: list[Line] = [line for line in LINES if line not in OWN]  # type: ignore[misc]
#: What folders of copies under way begin with.
_COPIES = ".landed"
#: What was seen of each folder, by the number of its row.
_landing: dict[int, Landing] = {}


def step() -> None:
    """Go on with everything by one step. It may be broken off anywhere, and is called again and again."""
    with session() as db:
        watched = list(db.scalars(select(Watched).order_by(Watched.id)))
        here = Arrival.state.in_(folders.UNDER_WAY) | Arrival.stays
        arrivals = list(db.scalars(select(Arrival).where(here).order_by(Arrival.id)))
    for gone in _landing.keys() - {row.id for row in watched if row.on}:
        del _landing[gone]
    for row in watched:
        home = folders.path_of(row)
        if home is None:
            continue
        own = [each for each in arrivals if each.watched_id == row.id]
        for arrival in own:
            if arrival.state in folders.UNDER_WAY:
                _go_on(row, home, arrival)
        if row.on:
            inside = {name for other in watched if (name := folders.leads_to(row, other))}
            _take_note(row, home, {each.name for each in own} | inside)


def _take_note(row: Watched, home: Path, known: set[str]) -> None:
    """Write down what has arrived and is not under way already."""
    landing = _landing.setdefault(row.id, Landing(home, _STILL))
    try:
        arrived = landing.arrived(time.monotonic())
    except OSError:
        log.info("%s cannot be looked into", home)
        return
    with session() as db:
        for path in arrived:
            if path.name not in known:
                db.add(Arrival(watched_id=row.id, name=path.name))


def _go_on(row: Watched, home: Path, arrival: Arrival) -> None:
    does: dict[ArrivalState, Callable[[Watched, Path, Arrival], None]] = {
        ArrivalState.LANDED: _bring_in,
        ArrivalState.READING: _order,
        ArrivalState.MAKING: _deliver,
        ArrivalState.MEASURING: _report,
    }
    try:
        does[arrival.state](row, home, arrival)
    except OperationalError:
        # The database comes back, and the step is done then.
        raise
    except (MediaError, Refused) as error:
        _fail(home, arrival, str(error))
    except OSError as error:
        _fail(home, arrival, f"Its files could not be handled: {error.strerror or error}.")
    except Exception:
        log.exception("%s in %s", arrival.name, home)
        _fail(home, arrival, "Something went wrong inside Upholster; the log says what.")


def _bring_in(row: Watched, home: Path, arrival: Arrival) -> None:
    """Take a file, or a folder of pictures, in as footage; a shot of its own, where it was here before."""
    path = home / arrival.name
    if not path.exists():
        raise Missing("It was taken away before it could be read.")
    paths.media_root().mkdir(parents=True, exist_ok=True)
    # One at a time brings in: what is there is left of one that was killed.
    for left in paths.media_root().glob(f"{_COPIES}*"):
        shutil.rmtree(left, ignore_errors=True)
    with tempfile.TemporaryDirectory(dir=paths.media_root(), prefix=_COPIES) as inside:
        # A copy: whoever writes into what landed later on changes nothing here.
        if path.is_dir():
            shutil.copytree(path, inside, dirs_exist_ok=True)
        else:
            shutil.copyfile(path, Path(inside) / path.name)
        footage, known = bring_in.take_in(Path(inside), path.name)
    if footage.facts["kind"] == "sound":
        raise Refused("This is sound without pictures: there is nothing to key.")
    first = shots.first_of(footage.id)
    _set(arrival, ArrivalState.READING, shot_id=shots.copy_shot(first).id if known else first)


def _order(row: Watched, home: Path, arrival: Arrival) -> None:
    """Give it its recipe and order its delivery, once it is read."""
    shot_id = _shot_of(arrival)
    footage = bring_in.get_footage(shots.footage_id_of(shot_id))
    if footage.state == FootageState.READING:
        return
    if footage.state == FootageState.FAILED:
        raise Refused(footage.pending.problem if footage.pending else "It could not be read.")
    made = listed.last_of([shot_id]).get(shot_id)
    if made is None:
        if row.shot_id is not None:
            (given,) = copying.give_recipe(row.shot_id, [shot_id], _GIVEN)
            if not given.revision:
                raise Refused(given.sentences[0])
        (made,) = renders.order(shot_id, shots.open_shot(shot_id).revision, [folders.delivery_of(row)])
    _set(arrival, ArrivalState.MAKING, render_id=made.id)


def _deliver(row: Watched, home: Path, arrival: Arrival) -> None:
    """Lay what was made beside what landed, once it has passed its proof."""
    if arrival.render_id is None:
        raise Refused("Its render is not here any more.")
    render = listed.get_render(arrival.render_id)
    if render.state in ACTIVE:
        return
    if render.state != RenderState.DONE:
        raise Refused(render.problem or "Its render was cancelled.")
    clips = stock.clips_made_by([render.id])
    if not clips:
        raise Refused("What was made of it was deleted.")
    clip, out = stock.get_clip(clips[render.id]), home / DELIVERED
    out.mkdir(exist_ok=True)
    # Its name is kept first: broken off, it is laid there once more, and not beside itself.
    made = out / (arrival.made or free(out / clip.file).name)
    _set(arrival, ArrivalState.MAKING, made=made.name)
    _copy(stock.file_of(clip, "sidecar"), made.with_name(made.name + ".json"))
    _copy(stock.file_of(clip), made)
    if row.report:
        _set(arrival, ArrivalState.MEASURING)
    else:
        _end(home, arrival)


def _report(row: Watched, home: Path, arrival: Arrival) -> None:
    """Lay a proof sheet beside it, once all of its frames are measured."""
    shot_id = _shot_of(arrival)
    if measuring.missing(shot_id):
        measuring.ask(shot_id)
        return
    put_text(home / DELIVERED / f"{arrival.made}.html", sheets.sheet_of_shot(shot_id))
    _end(home, arrival)


def _shot_of(arrival: Arrival) -> int:
    if arrival.shot_id is None:
        raise Refused("Its shot is not here any more.")
    return arrival.shot_id


def _copy(file: Path, target: Path) -> None:
    part = target.with_name(f".{target.name}.part")
    shutil.copyfile(file, part)
    part.replace(target)


def _end(home: Path, arrival: Arrival) -> None:
    """All is done: what landed goes out of the way."""
    if (home / arrival.name).exists():
        put_away(home / arrival.name, home / DONE)
    _set(arrival, ArrivalState.DONE, finished_at=datetime.now(UTC))


def _fail(home: Path, arrival: Arrival, problem: str) -> None:
    try:
        if (home / arrival.name).exists():
            there = put_away(home / arrival.name, home / FAILED)
            put_text(there.with_name(there.name + ".txt"), f"{problem}\n")
        stays = False
    except OSError as error:
        problem, stays = f"{problem} It stays where it is: {error.strerror}.", True
    _set(arrival, ArrivalState.FAILED, problem=problem, stays=stays, finished_at=datetime.now(UTC))


def _set(arrival: Arrival, state: ArrivalState, **more: object) -> None:
    with session() as db:
        row = db.get(Arrival, arrival.id)
        if row is not None:
            row.state = state
            for name, value in more.items():
                setattr(row, name, value)
