"""Small copies of clips that are laid into fittings, so that they play there as quickly as footage does."""

from contextlib import suppress
from pathlib import Path

from upholster.core.documents.fitting import Fitting, Source
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import Reader
from upholster.media.errors import MediaError
from upholster.media.proxy import Proxy, ProxyWriter
from upholster.store.models import Clip
from upholster.studio import queue
from upholster.studio.errors import Missing, Refused
from upholster.studio.fittings import sources
from upholster.studio.looking.kept import Kept
from upholster.studio.making.keying import Footage
from upholster.studio.stock import stock

#: Bytes of proxies that are held open.
_OPEN = 256 << 20
_proxies = Kept(_OPEN)
_NAME = "proxy"


def ask_for_missing(fitting: Fitting) -> None:
    """Have small copies made of the clips in a fitting that have none."""
    own = [layer.source for layer in fitting.layers.each.values()]
    for source in {s.id: s for s in [*own, fitting.ground.source] if s and s.kind == "clip"}.values():
        ask_for(source)


def ask_for(source: Source) -> None:
    """The same for one of them."""
    with suppress(Missing):
        if source.kind == "clip" and not _path(clip := sources.clip_of(source)).exists():
            queue.ask(queue.PROXY, clip_id=clip.id)


def make(clip_id: int) -> None:
    """Make the small copy of a clip, unless it is there or the clip is not."""
    try:
        clip = sources.clip_of(Source(kind="clip", id=clip_id))
        footage = sources.files_of(clip)
    except (Missing, Refused, MediaError):
        return
    if _path(clip).exists():
        return
    # A clip that is deleted meanwhile takes its folder along.
    with Reader(*footage) as reader, ProxyWriter(_path(clip), reader.facts.length) as proxy:
        for frame in reader.frames(range(reader.facts.length)):
            proxy.write(frame)


def small(footage: Footage, number: int) -> Frame | None:
    """A small picture of a clip's files; None where there is no small copy yet."""
    path = _beside(footage.files[0])
    if not path.exists():
        return None
    return _proxies.get(path, lambda: Proxy(path, footage.facts.length)).frame(number)


def give_up(clip_id: int, problem: str) -> None:
    """Nothing is lost without a small copy."""


def _path(clip: Clip) -> Path:
    return stock.folder_of(clip) / _NAME


def _beside(file: Path) -> Path:
    """The small copy of a clip, by one of its files: beside it, or where pictures lie unpacked, beside their folder."""
    return (file.parent.parent if file.parent.name == "pictures" else file.parent) / _NAME
