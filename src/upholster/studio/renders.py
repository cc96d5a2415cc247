"""Renders: ordered, made in ranges by any number of workers, joined, proofed, stocked.

The files on disk are the truth: a range is made when its part lies there whole. Whatever was
killed is found again by `mend`, which asks once more for every piece of work still missing.
"""

import errno
import logging
import shutil
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from sqlalchemy import select, update
from sqlalchemy.orm import selectinload

from upholster.core.recipe import Recipe
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind
from upholster.media.formats import FORMATS, Format
from upholster.media.join import join_movies, zip_pictures
from upholster.media.preview import write_preview
from upholster.media.proof import Proof
from upholster.media.writer import picture_name
from upholster.store.models import Clip, Footage, Render, RenderRange, Shot
from upholster.store.session import session
from upholster.studio import keying, places, queue
from upholster.studio.bring_in import source_of
from upholster.studio.errors import Missing, Refused
from upholster.studio.naming import next_version, safe_name
from upholster.studio.screens import knowledge
from upholster.studio.shots import recipe_at
from upholster.studio.sidecar import write_sidecar

log = logging.getLogger(__name__)

#: Frames made by one job: small enough to lose, large enough to be worth a decoder's start.
RANGE = 24
#: Seconds between two notes of progress; also how soon a cancel is noticed.
TELL = 0.4

ACTIVE = ("running", "checking")


class Job(NamedTuple):
    """What a worker needs to know of a render."""

    render: Render
    footage: Footage
    source: keying.Footage
    recipe: Recipe
    form: Format
    alpha: AlphaKind
    numbers: range


def proposed_name(shot: Shot) -> str:
    """The shot's name with a version number no earlier render has."""
    with session() as db:
        return next_version(safe_name(shot.name).replace(" ", "_"), set(db.scalars(select(Render.name))))


def order(shot_id: int, revision: int, format_name: str, alpha: AlphaKind, name: str) -> Render:
    """Queue the making of files from a revision of a shot."""
    form = FORMATS.get(format_name)
    if form is None:
        raise Refused("Choose one of the formats offered.")
    if alpha not in form.alpha_kinds:
        raise Refused(f"{form.title} cannot hold {alpha} alpha. Choose {form.alpha_kinds[0]}.")
    with session() as db:
        shot = db.get(Shot, shot_id)
        if shot is None:
            raise Missing("This shot is not here any more.")
        taken = set(db.scalars(select(Render.name)))
        name = safe_name(name) if name.strip() else next_version(safe_name(shot.name), taken)
        if name in taken:
            raise Refused(f"There is a clip named {name} already. Use {next_version(name, taken)} or another name.")
        recipe = recipe_at(db, shot_id, revision)
        numbers = recipe.take.span(int(shot.footage.facts["length"]))
        render = Render(
            shot_id=shot_id,
            revision=revision,
            name=name,
            format=form.name,
            alpha=alpha,
            frames=len(numbers),
            state="running",
            ranges=_ranges(numbers),
        )
        db.add(render)
        db.flush()
    mend(render.id)
    return render


def make_range(render_id: int, position: int) -> None:
    """Make one range of a render, unless it is made already."""
    job = _job(render_id)
    if job is None or job.render.state != "running":
        return
    part = job.render.ranges[position]
    numbers = range(part.first, part.end)
    folder = places.render_folder(render_id)
    folder.mkdir(parents=True, exist_ok=True)
    if not part.done:
        _start(render_id)
        target = folder if job.form.sequence else _part(folder, position, job.form)
        try:
            if job.form.sequence or not target.exists():
                keying.write_keyed(
                    job.source,
                    job.recipe,
                    _screen(job),
                    numbers,
                    job.form,
                    target,
                    job.alpha,
                    first=numbers.start,
                    progress=_progress(render_id, position, len(numbers)),
                )
        except keying.Stopped:
            clear_away(render_id)
            return
        except (MediaError, OSError) as error:
            fail(render_id, _sentence(error))
            return
        with session() as db:
            row = db.get_one(RenderRange, (render_id, position))
            row.done, row.frames_done = True, len(numbers)
    mend(render_id)


def finish(render_id: int) -> None:
    """Join the ranges of a render, prove the file, put it into the stockroom."""
    job = _job(render_id)
    if job is None or job.render.state not in ACTIVE or not all(r.done for r in job.render.ranges):
        return
    if not _change(render_id, state="checking", frames_checked=0):
        return
    home = places.render_folder(render_id)
    try:
        file, proved = _join(job, home)
        screen = _screen(job)
        proof = keying.prove_keyed(
            job.source,
            job.recipe,
            screen,
            job.numbers,
            job.form,
            proved,
            job.alpha,
            progress=_checking(render_id),
        )
        if not proof.passed:
            fail(
                render_id,
                f"The file did not pass its proof: {proof.reason} Render it again or choose another format.",
                proof,
            )
            return
        write_sidecar(
            file.with_name(file.name + ".json"),
            recipe=job.recipe,
            revision=job.render.revision,
            source_sha256=job.footage.sha256,
            form=job.form,
            proof=proof,
        )
        write_preview(
            home / "preview.webm",
            keying.keyed_frames(job.source, job.recipe, screen, job.numbers),
            job.source.facts.rate,
        )
    except keying.Stopped:
        clear_away(render_id)
        return
    except (MediaError, OSError) as error:
        fail(render_id, _sentence(error))
        return
    _stock(job, home, file, proof)


def cancel(render_id: int) -> None:
    """Call a render off. Whoever works on it notices within `TELL` and clears away; else `sweep` does."""
    _end(render_id, state="cancelled")


def retry(render_id: int) -> None:
    """Start a failed or cancelled render over."""
    with session() as db:
        render = db.get(Render, render_id, with_for_update=True)
        if render is None or render.state not in ("failed", "cancelled"):
            raise Refused("Only a render that failed or was cancelled can be started again.")
        render.state, render.problem, render.proof = "running", "", None
        render.started_at = render.finished_at = None
        render.frames_checked = 0
        for part in render.ranges:
            part.done, part.frames_done = False, 0
    mend(render_id)


def mend(only: int | None = None) -> None:
    """Ask for all work that unfinished renders still lack; what is asked for already is left alone."""
    with session() as db:
        query = select(Render).where(Render.state.in_(ACTIVE)).order_by(Render.id)
        unfinished = [
            (r.id, [p.position for p in r.ranges if not p.done])
            for r in db.scalars(query if only is None else query.where(Render.id == only))
        ]
        reading = [] if only else list(db.scalars(select(Footage.id).where(Footage.state == "reading")))
    for footage_id in reading:
        queue.ask(queue.READ, footage_id=footage_id)
    for render_id, missing in unfinished:
        for position in missing:
            queue.ask(queue.RANGE, render_id=render_id, position=position)
        if not missing:
            queue.ask(queue.FINISH, render_id=render_id)


def all_renders() -> list[Render]:
    with session() as db:
        return list(db.scalars(select(Render).options(selectinload(Render.ranges)).order_by(Render.id.desc())))


class Standing(NamedTuple):
    """How far a render is, in numbers a person wants."""

    done: int
    total: int
    rate: float
    left: float | None


def standing(render: Render) -> Standing:
    """Frames of the phase under way, frames a second, and seconds left."""
    made = sum(p.frames_done for p in render.ranges)
    # Checking keys every frame again and reads the file, so it is a second pass over all frames.
    done = made + (render.frames_checked if render.state == "checking" else 0)
    elapsed = (_now() - render.started_at).total_seconds() if render.started_at else 0.0
    rate = done / elapsed if elapsed > 0.5 else 0.0
    left = (2 * render.frames - done) / rate if rate else None
    return Standing(render.frames_checked if render.state == "checking" else made, render.frames, rate, left)


def proof_words(render: Render) -> str:
    """What the proof found, in words; empty before there is one."""
    return Proof.model_validate(render.proof).in_words() if render.proof else ""


def fail(render_id: int, problem: str, proof: Proof | None = None) -> None:
    """End a render with a sentence; one that has ended already, as by a cancel, stays as it is."""
    report = proof.model_dump(mode="json") if proof else None
    _end(render_id, state="failed", problem=problem, proof=report)
    clear_away(render_id)


def sweep() -> None:
    """Clear away what renders that have ended left on the disk."""
    with session() as db:
        going = set(db.scalars(select(Render.id).where(Render.state.in_(ACTIVE))))
    for folder in places.render_folders():
        if int(folder.name) not in going:
            shutil.rmtree(folder, ignore_errors=True)


def _sentence(error: Exception) -> str:
    if isinstance(error, MediaError):
        return str(error)
    if isinstance(error, OSError) and error.errno == errno.ENOSPC:
        return "The disk is full. Make room, then start the render again."
    log.exception("a render could not be written")
    return "The files could not be written. See that the media folder can be written to, then start the render again."


def clear_away(render_id: int) -> None:
    shutil.rmtree(places.render_folder(render_id), ignore_errors=True)


def _ranges(numbers: range) -> list[RenderRange]:
    starts = range(numbers.start, numbers.stop, RANGE)
    return [
        RenderRange(position=k, first=s, end=min(s + RANGE, numbers.stop), frames_done=0, done=False)
        for k, s in enumerate(starts)
    ]


def _job(render_id: int) -> Job | None:
    with session() as db:
        render = db.get(Render, render_id)
        if render is None:
            return None
        footage = render.shot.footage
        recipe = recipe_at(db, render.shot_id, render.revision)
        list(render.ranges)
    source = source_of(footage)
    alpha: AlphaKind = "premultiplied" if render.alpha == "premultiplied" else "straight"
    return Job(render, footage, source, recipe, FORMATS[render.format], alpha, recipe.take.span(source.facts.length))


def _screen(job: Job) -> keying.ScreenKnowledge | None:
    return knowledge(job.footage.sha256, job.recipe.screen)


def _part(folder: Path, position: int, form: Format) -> Path:
    return folder / f"part-{position:05d}{form.suffix}"


def _join(job: Job, home: Path) -> tuple[Path, list[Path]]:
    """The file to deliver, and the files to prove."""
    if job.form.sequence:
        pictures = [picture_name(home, n, job.form.suffix) for n in job.numbers]
        file = home / f"{job.render.name}.zip"
        zip_pictures(pictures, file)
        return file, pictures
    parts = [_part(home, p.position, job.form) for p in job.render.ranges]
    file = home / f"{job.render.name}{job.form.suffix}"
    join_movies(job.form, parts, file, job.source.facts.rate)
    return file, [file]


def _stock(job: Job, home: Path, file: Path, proof: Proof) -> None:
    clip_home = places.clip_folder(job.render.id)
    shutil.rmtree(clip_home, ignore_errors=True)
    clip_home.mkdir(parents=True)
    for path in (file.with_name(file.name + ".json"), home / "preview.webm", file):
        path.replace(clip_home / path.name)
    facts = job.source.facts
    with session() as db:
        render = db.get_one(Render, job.render.id, with_for_update=True)
        if render.state != "checking":
            shutil.rmtree(clip_home, ignore_errors=True)
            return
        render.state, render.proof, render.finished_at = "done", proof.model_dump(mode="json"), _now()
        db.add(
            Clip(
                render_id=render.id,
                name=render.name,
                file=file.name,
                bytes=(clip_home / file.name).stat().st_size,
                width=facts.width,
                height=facts.height,
                tags=[],
            )
        )
    clear_away(job.render.id)


def _progress(render_id: int, position: int, total: int) -> keying.Progress:
    told = 0.0

    def progress(done: int) -> None:
        nonlocal told
        if time.monotonic() - told < TELL and done < total:
            return
        told = time.monotonic()
        with session() as db:
            if db.scalar(select(Render.state).where(Render.id == render_id)) != "running":
                raise keying.Stopped
            db.execute(
                update(RenderRange)
                .where(RenderRange.render_id == render_id, RenderRange.position == position)
                .values(frames_done=done)
            )

    return progress


def _checking(render_id: int) -> keying.Progress:
    told = 0.0

    def progress(done: int) -> None:
        nonlocal told
        if time.monotonic() - told < TELL:
            return
        told = time.monotonic()
        with session() as db:
            if db.scalar(select(Render.state).where(Render.id == render_id)) != "checking":
                raise keying.Stopped
            db.execute(update(Render).where(Render.id == render_id).values(frames_checked=done))

    return progress


def _start(render_id: int) -> None:
    with session() as db:
        db.execute(update(Render).where(Render.id == render_id, Render.started_at.is_(None)).values(started_at=_now()))


def _end(render_id: int, **values: object) -> bool:
    return _change(render_id, finished_at=_now(), **values)


def _change(render_id: int, **values: object) -> bool:
    """Change a render that has not ended; False where it has."""
    with session() as db:
        query = update(Render).where(Render.id == render_id, Render.state.in_(ACTIVE)).returning(Render.id)
        return db.execute(query.values(**values)).first() is not None


def _now() -> datetime:
    return datetime.now(UTC)
