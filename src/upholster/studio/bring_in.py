"""Bringing footage in: bytes arrive, are recognised, looked into, and read through once."""

import secrets
import shutil
import time
from pathlib import Path
from zipfile import BadZipFile, ZipFile

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from upholster.core.first_recipe import first_look
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import probe
from upholster.media.decoder.stills import SUFFIXES
from upholster.media.delivery import hex_colour
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.limits import UPLOAD
from upholster.media.proxy import ProxyWriter
from upholster.media.sequences import in_order
from upholster.store.models import Footage, Render, Shot
from upholster.store.session import session
from upholster.studio import keying, places, queue
from upholster.studio.errors import Missing, Refused
from upholster.studio.inspect import interpretation
from upholster.studio.naming import safe_name
from upholster.studio.sidecar import sha256_of


def begin_upload() -> str:
    """A token under which files can be sent."""
    _forget_stale()
    token = secrets.token_urlsafe(16)
    places.upload_folder(token).mkdir(parents=True)
    return token


def receive(token: str, name: str, offset: int, block: bytes) -> int:
    """Add a block to one file of an upload; how many bytes of it are here.

    A block that repeats what is here is taken as sent again after a broken connection.
    """
    folder = _upload(token)
    path = folder / safe_name(name)
    have = path.stat().st_size if path.exists() else 0
    if offset > have:
        raise Refused("A part of the file was lost on the way. Bring it in again.")
    if sum(p.stat().st_size for p in folder.iterdir()) + len(block) > UPLOAD:
        shutil.rmtree(folder)
        raise Refused(f"This is larger than the limit of {UPLOAD / 2**30:.3g} GiB. Bring in a shorter piece.")
    with path.open("r+b" if path.exists() else "wb") as file:
        file.seek(offset)
        file.write(block)
        file.truncate()
    return offset + len(block)


def finish_upload(token: str, name: str) -> tuple[Footage, bool]:
    """Take in what was sent as one piece of footage; whether the same bytes were here before.

    Raises
    ------
    MediaError
        Where it cannot be read. Nothing of the upload stays behind.
    """
    folder = _upload(token)
    try:
        return take_in(folder, name)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def take_in(folder: Path, name: str) -> tuple[Footage, bool]:
    """Take in the files of `folder`, which are moved away."""
    pictures = _unpacked(folder)
    if any(p.stat().st_size == 0 for p in pictures):
        raise MediaError("This file is empty. Bring it in again from where it came.")
    digest = sha256_of(pictures)
    with session() as db:
        known = db.scalar(select(Footage).where(Footage.sha256 == digest))
        if known and known.state != "failed":
            return known, True
        if known:
            db.delete(known)
    facts = interpretation(keying.Footage(tuple(pictures), probe(pictures)))
    home = places.footage_folder(digest)
    shutil.rmtree(home, ignore_errors=True)
    home.mkdir(parents=True)
    files = []
    for number, picture in enumerate(pictures):
        stem = "original" if len(pictures) == 1 else f"{number:06d}"
        target = home / f"{stem}{picture.suffix.lower()}"
        shutil.move(picture, target)
        files.append(target.name)
    title = Path(name).stem or name
    with session() as db:
        footage = Footage(
            sha256=digest,
            name=title,
            files=files,
            bytes=sum((home / f).stat().st_size for f in files),
            facts=facts.model_dump(mode="json"),
            state="reading",
        )
        db.add(footage)
        db.flush()
        db.add(Shot(footage_id=footage.id, name=title, head=0))
    queue.ask(queue.READ, footage_id=footage.id)
    return footage, False


def interpret(footage_id: int, kind: str, over: str = "#000000") -> None:
    """Take the alpha of footage as straight, premultiplied over a colour, or (empty) not at all, and read it anew."""
    update = {"alpha_kind": kind, "alpha_over": tuple(hex_colour(over).ravel().tolist())}
    with session() as db:
        footage = db.get(Footage, footage_id, with_for_update=True)
        if footage is None or not footage.facts["alpha"] or kind not in ("straight", "premultiplied", ""):
            raise Refused("This footage has no alpha to be taken another way.")
        shots = select(Shot.id).where(Shot.footage_id == footage_id)
        if db.scalar(select(Render.id).where(Render.shot_id.in_(shots), Render.finished_at.is_(None)).limit(1)):
            raise Refused("A render of this footage is under way. Wait for it, or cancel it first.")
        footage.facts = footage.facts | update
        footage.state, footage.frames_read = "reading", 0
    queue.ask(queue.READ, footage_id=footage_id)


def read(footage_id: int) -> None:
    """Read footage through once: small pictures to look at, the survey, and the first recipe."""
    with session() as db:
        footage = db.get(Footage, footage_id)
        if footage is None or footage.state == "ready":
            return
    home = places.footage_folder(footage.sha256)
    source = source_of(footage)
    told = time.monotonic()

    def keep(number: int, frame: Frame) -> None:
        nonlocal told
        proxy.write(frame)
        if time.monotonic() - told > 0.4:
            told = time.monotonic()
            _update(footage_id, frames_read=number + 1)

    try:
        with ProxyWriter(home / "proxy", source.facts.length) as proxy:
            taken = keying.read_through(source, keep)
        keying.save_survey(home / "survey.npz", taken)
        look = first_look(taken)
    except MediaError as error:
        give_up(footage_id, str(error))
        return
    _update(
        footage_id,
        state="ready",
        frames_read=source.facts.length,
        first_recipe=look.recipe.model_dump(mode="json"),
        sentences=list(look.sentences),
    )


def give_up(footage_id: int, problem: str) -> None:
    _update(footage_id, state="failed", problem=problem)


def source_of(footage: Footage) -> keying.Footage:
    home = places.footage_folder(footage.sha256)
    return keying.Footage(tuple(home / f for f in footage.files), Facts.model_validate(footage.facts))


def all_footage() -> list[Footage]:
    with session() as db:
        return list(db.scalars(select(Footage).options(selectinload(Footage.shots)).order_by(Footage.id.desc())))


def get_footage(footage_id: int) -> Footage:
    with session() as db:
        footage = db.get(Footage, footage_id)
    if footage is None:
        raise Missing("This footage is not here any more.")
    return footage


def remove(footage_id: int) -> None:
    """Take footage that no clip was made from, and its shots, out of the house."""
    with session() as db:
        footage = db.get(Footage, footage_id)
        if footage is None:
            return
        shots = select(Shot.id).where(Shot.footage_id == footage_id)
        if db.scalar(select(Render.id).where(Render.shot_id.in_(shots)).limit(1)):
            raise Refused("Clips were made from this footage, so it stays: they may need to be made again.")
        db.delete(footage)
    shutil.rmtree(places.footage_folder(footage.sha256), ignore_errors=True)


def _update(footage_id: int, **values: object) -> None:
    with session() as db:
        footage = db.get(Footage, footage_id)
        for name, value in values.items():
            setattr(footage, name, value)


def _upload(token: str) -> Path:
    folder = places.upload_folder(safe_name(token))
    if not folder.is_dir():
        raise Missing("This upload is over. Bring the file in again.")
    return folder


def _forget_stale() -> None:
    uploads = places.upload_folder("x").parent
    for folder in uploads.glob("*"):
        if time.time() - folder.stat().st_mtime > 24 * 3600:
            shutil.rmtree(folder, ignore_errors=True)


def _unpacked(folder: Path) -> list[Path]:
    """The files meant: one movie or still, or the pictures of a sequence, out of a zip if need be."""
    files = sorted(p for p in folder.iterdir() if p.is_file())
    if len(files) == 1 and files[0].suffix.lower() == ".zip":
        files = _unzip(files[0])
    if not files:
        raise MediaError("Nothing arrived. Bring the file in again.")
    if len(files) == 1:
        return files
    if not all(p.suffix.lower() in SUFFIXES for p in files):
        raise MediaError("A folder must hold the pictures of one sequence and nothing else.")
    return in_order(files)


def _unzip(path: Path) -> list[Path]:
    inside = path.parent / "unzipped"
    inside.mkdir()
    total = 0
    try:
        with ZipFile(path) as archive:
            for member in archive.infolist():
                name = safe_name(Path(member.filename).name)
                if member.is_dir() or "__MACOSX" in member.filename or Path(name).suffix.lower() not in SUFFIXES:
                    continue
                with archive.open(member) as source, (inside / name).open("wb") as target:
                    while block := source.read(1 << 20):
                        total += len(block)
                        if total > UPLOAD:
                            raise MediaError("This zip unpacks to more than the limit. Bring in a shorter piece.")
                        target.write(block)
    except (BadZipFile, RuntimeError, NotImplementedError) as error:
        raise MediaError("This zip file is broken or locked. Make it again.") from error
    files = sorted(inside.iterdir())
    if not files:
        raise MediaError("There are no PNG, TIFF or OpenEXR pictures in this zip.")
    return files
