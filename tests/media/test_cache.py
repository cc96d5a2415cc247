"""Readers that several threads share, and what is kept in memory."""

import random
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from plates import green_clip
from upholster.media.decoder.cache import ReaderCache
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import Reader
from upholster.media.proxy import Proxy, ProxyWriter
from upholster.studio.looking.kept import Kept, size_of


class Stand:
    """Stands for a reader; using it after it was closed fails, as a closed pipe does."""

    def __init__(self) -> None:
        self.closed = False

    def close(self) -> None:
        self.closed = True


def test_a_reader_in_use_is_never_closed() -> None:
    cache, made = ReaderCache(2), []

    def opened() -> Any:
        made.append(Stand())
        return made[-1]

    def use(seed: int) -> None:
        choose = random.Random(seed)
        for _ in range(200):
            with cache.using(choose.randrange(6), opened) as reader:
                time.sleep(0.0002)
                assert not reader.closed, "closed under the hand"  # type: ignore[attr-defined]

    with ThreadPoolExecutor(6) as pool:
        list(pool.map(use, range(6)))
    assert sum(not reader.closed for reader in made) <= 2 < len(made)


def test_six_threads_read_six_files_through_three_open_readers(tmp_path: Path) -> None:
    files = [green_clip(tmp_path / f"{n}.mp4", 4 + n) for n in range(6)]
    cache = ReaderCache(3)

    def read(seed: int) -> None:
        choose = random.Random(seed)
        for _ in range(12):
            file = choose.choice(files)
            with cache.using(file, lambda: Reader([file])) as reader:  # noqa: B023
                assert reader.frame(choose.randrange(4)).rgb.shape == (3, 180, 320)

    with ThreadPoolExecutor(6) as pool:
        list(pool.map(read, range(6)))


def test_a_mapped_file_counts_what_it_can_come_to_hold(tmp_path: Path) -> None:
    frame = Frame(np.random.default_rng(0).random((3, 90, 160), np.float32), None)
    with ProxyWriter(tmp_path / "proxy", 3) as writer:
        for _ in range(3):
            writer.write(frame)
    assert size_of(Proxy(tmp_path / "proxy", 3)) >= (tmp_path / "proxy").stat().st_size
    assert size_of(frame) >= frame.rgb.nbytes


def test_what_is_kept_stays_within_its_bytes() -> None:
    kept = Kept(1000_000)
    for number in range(50):
        kept.get(number, lambda: np.zeros(60_000, np.uint8))
        assert kept.bytes <= 1000_000
    # The last ones are there, the first ones are not; one larger than all is given, but not kept.
    assert kept.get(49, lambda: "made again") is not None and isinstance(kept.get(49, lambda: "x"), np.ndarray)
    assert kept.get(0, lambda: "made again") == "made again"
    assert kept.get("huge", lambda: np.zeros(2_000_000, np.uint8)).size == 2_000_000
    assert kept.bytes <= 1000_000


def test_what_several_ask_for_at_once_is_made_once() -> None:
    kept, made, start = Kept(1 << 20), [], threading.Barrier(8)

    def make() -> int:
        made.append(1)
        time.sleep(0.05)
        return 7

    def ask(_: int) -> int:
        start.wait()
        return kept.get("same", make)

    with ThreadPoolExecutor(8) as pool:
        assert list(pool.map(ask, range(8))) == [7] * 8
    assert len(made) == 1
