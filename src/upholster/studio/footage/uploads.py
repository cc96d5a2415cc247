"""Bytes arriving: blocks of files under a token, then unpacked into the pictures that are meant."""

import errno
import lzma
import os
import secrets
import shutil
import time
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from zipfile import BadZipFile, ZipFile, ZipInfo

from upholster.media.decoder.stills import SUFFIXES
from upholster.media.errors import MediaError
from upholster.media.limits import UPLOAD
from upholster.media.sequences import in_order
from upholster.studio import paths
from upholster.studio.errors import Missing, Refused
from upholster.studio.naming import safe_name

#: What reading an upload through writes beside it, as a share, and room that is left to others.
_BESIDE, _ROOM = 0.2, 64 << 20
#: Seconds without a block after which an upload is given up.
_STALE = 24 * 3600
#: What archives are packed by raises when it meets damage.
_DAMAGE = (BadZipFile, RuntimeError, NotImplementedError, EOFError, ValueError, zlib.error, lzma.LZMAError)


def begin(size: int = 0) -> str:
    """A token under which files of `size` bytes in all can be sent.

    Raises
    ------
    Refused
        Where they are more than the limit, or than the disk has room for.
    """
    _forget_stale()
    if size > UPLOAD:
        raise Refused(f"This is larger than the limit of {UPLOAD / 2**30:.3g} GiB. Bring in a shorter piece.")
    paths.media_root().mkdir(parents=True, exist_ok=True)
    free = shutil.disk_usage(paths.media_root()).free
    if size * (1 + _BESIDE) + _ROOM > free:
        raise Refused(
            f"The disk has {free / 2**30:.1f} GiB left, too little for this upload of {size / 2**30:.1f}. "
            "Make room and bring it in again."
        )
    token = secrets.token_urlsafe(16)
    with _room_or_a_sentence():
        paths.upload_folder(token).mkdir(parents=True)
    return token


def receive(token: str, name: str, offset: int, block: bytes) -> int:
    """Add a block to one file of an upload; how many bytes of it are here.

    A block that repeats what is here is taken as sent again after a broken connection. Where the disk is full
    all of the upload goes at once, so that the room is free again.
    """
    folder = folder_of(token)
    path = folder / safe_name(name)
    have = path.stat().st_size if path.exists() else 0
    if offset > have:
        raise Refused("A part of the file was lost on the way. Bring it in again.")
    if sum(p.stat().st_size for p in folder.iterdir()) + len(block) > UPLOAD:
        shutil.rmtree(folder)
        raise Refused(f"This is larger than the limit of {UPLOAD / 2**30:.3g} GiB. Bring in a shorter piece.")
    with _room_or_a_sentence(folder), path.open("r+b" if path.exists() else "wb") as file:
        file.seek(offset)
        file.write(block)
        file.truncate()
    return offset + len(block)


def folder_of(token: str) -> Path:
    """Where the files of an upload lie."""
    folder = paths.upload_folder(safe_name(token))
    if not folder.is_dir():
        raise Missing("This upload is over. Bring the file in again.")
    return folder


def unpacked(folder: Path) -> list[Path]:
    """The files meant: one movie or still, or the pictures of a sequence, out of a zip if need be."""
    files = sorted(p for p in folder.iterdir() if p.is_file())
    if len(files) == 1 and files[0].suffix.lower() == ".zip":
        with _room_or_a_sentence():
            files = _unzip(files[0], folder / "unzipped")
    if not files:
        raise MediaError("Nothing arrived. Bring the file in again.")
    if any(p.stat().st_size == 0 for p in files):
        raise MediaError("This file is empty. Bring it in again from where it came.")
    if len(files) == 1:
        return files
    if not all(p.suffix.lower() in SUFFIXES for p in files):
        raise MediaError("A folder must hold the pictures of one sequence and nothing else.")
    return in_order(files)


@contextmanager
def _room_or_a_sentence(gone: Path | None = None) -> Iterator[None]:
    """A full disk is one sentence; what of the upload is in the folder `gone` goes, since it fills the disk."""
    try:
        yield
    except OSError as error:
        if error.errno not in (errno.ENOSPC, errno.EDQUOT):
            raise
        if gone:
            shutil.rmtree(gone, ignore_errors=True)
        raise Refused("The disk is full. Make room and bring the file in again.") from None


def _forget_stale() -> None:
    for folder in paths.upload_folder("x").parent.glob("*"):
        newest = max((p.stat().st_mtime for p in (folder, *folder.glob("*")) if p.exists()), default=0.0)
        if time.time() - newest > _STALE:
            shutil.rmtree(folder, ignore_errors=True)


def unzipped(path: Path) -> list[Path]:
    """The pictures of a zip, kept unpacked beside it."""
    home = path.parent / "pictures"
    if not home.is_dir():
        part = path.parent / f"pictures.{os.getpid()}.part"
        _unzip(path, part)
        try:
            part.rename(home)
        except OSError:
            # Somebody else was quicker.
            shutil.rmtree(part, ignore_errors=True)
    return in_order(sorted(home.iterdir()))


def _is_picture(member: ZipInfo) -> bool:
    suffix = Path(safe_name(Path(member.filename).name)).suffix.lower()
    return not member.is_dir() and "__MACOSX" not in member.filename and suffix in SUFFIXES


def _unzip(path: Path, inside: Path) -> list[Path]:
    # A try before this one may have been cut short.
    shutil.rmtree(inside, ignore_errors=True)
    inside.mkdir()
    total = 0
    came_from: dict[str, str] = {}
    try:
        with ZipFile(path) as archive:
            pictures = [each for each in archive.infolist() if _is_picture(each)]
            # What lies in folders below, as a sheet of them all, is beside the sequence.
            top = min((each.filename.count("/") for each in pictures), default=0)
            for member in pictures:
                if member.filename.count("/") > top:
                    continue
                name = safe_name(Path(member.filename).name)
                if name in came_from:
                    raise MediaError(
                        f"This zip holds {name} twice, as “{came_from[name]}” and “{member.filename}”. "
                        "Bring in one folder of pictures at a time."
                    )
                came_from[name] = member.filename
                with archive.open(member) as source, (inside / name).open("wb") as target:
                    while block := source.read(1 << 20):
                        total += len(block)
                        if total > UPLOAD:
                            raise MediaError("This zip unpacks to more than the limit. Bring in a shorter piece.")
                        target.write(block)
    except _DAMAGE as error:
        raise MediaError("This zip file is broken or locked. Make it again.") from error
    except OSError as error:
        # BZ2 says so of damaged data, and without a number.
        if error.errno is not None:
            raise
        raise MediaError("This zip file is broken or locked. Make it again.") from error
    files = sorted(inside.iterdir())
    if not files:
        raise MediaError("There are no PNG, TIFF or OpenEXR pictures in this zip.")
    return files
