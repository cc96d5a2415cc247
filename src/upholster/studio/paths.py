"""Where things lie under the data folder. No path given by a client is ever part of one."""

from pathlib import Path

from upholster.config import config


def data_root() -> Path:
    """The data folder, from ``UPHOLSTER_DATA``."""
    root = config().data
    assert root is not None, "whoever starts a process tells it where its data lie"
    return root


def media_root() -> Path:
    return data_root() / "media"


def hand() -> Path:
    """Touched whenever somebody asks for a picture."""
    return data_root() / "hand"


def footage_folder(sha256: str) -> Path:
    return media_root() / "footage" / sha256


def reading_folder(sha256: str, reading_id: int | None) -> Path:
    """Where a reading keeps what it found; footage older than readings keeps it beside its files."""
    home = footage_folder(sha256)
    return home if reading_id is None else home / f"reading-{reading_id}"


def upload_folder(token: str) -> Path:
    return media_root() / "uploads" / token


def render_folder(render_id: int) -> Path:
    return media_root() / "renders" / str(render_id)


def clip_folder(render_id: int) -> Path:
    return media_root() / "clips" / str(render_id)


def brought_in_folder(footage_id: int) -> Path:
    """Where the files of a clip lie that was brought in."""
    return media_root() / "clips" / f"footage-{footage_id}"


def render_folders() -> list[Path]:
    """The folders of renders under way, or left behind by them."""
    return _numbered(media_root() / "renders")


def clip_folders() -> list[Path]:
    """The folders of clips, named after their renders; also of those whose row was never written."""
    return _numbered(media_root() / "clips")


def _numbered(home: Path) -> list[Path]:
    if not home.is_dir():
        return []
    return sorted(path for path in home.iterdir() if path.name.removesuffix(".part").isdigit())
