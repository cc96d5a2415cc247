from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from plates import shot
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind
from upholster.media.formats import FORMATS
from upholster.media.join import join_movies
from upholster.media.proof import Proof, prove
from upholster.media.writer import open_writer, picture_name

RATE = Fraction(24000, 1001)
FRAMES = [shot(frame=n) for n in range(10)]


def write(name: str, path: Path, frames: list, alpha: AlphaKind = "straight", first: int = 0) -> Path:  # type: ignore[type-arg]
    form = FORMATS[name]
    with open_writer(form, path, width=320, height=180, rate=RATE, alpha=alpha, first=first) as writer:
        for rgb, cover in frames:
            writer.write(rgb, cover)
    return path


def proof_of(name: str, path: Path, expected: list, alpha: AlphaKind = "straight") -> Proof:  # type: ignore[type-arg]
    form = FORMATS[name]
    files = [picture_name(path, n, form.suffix) for n in range(len(expected))] if form.sequence else [path]
    return prove(files, form, expected, count=len(expected), width=320, height=180, rate=RATE, alpha=alpha)


@pytest.mark.parametrize("name", FORMATS)
def test_every_format_passes_its_proof_in_every_kind_of_alpha_it_allows(tmp_path: Path, name: str) -> None:
    for kind in FORMATS[name].alpha_kinds:
        proof = proof_of(name, write(name, tmp_path / f"{kind}{FORMATS[name].suffix}", FRAMES, kind), FRAMES, kind)
        assert proof.passed, proof.reason
        assert proof.frames == 10
        if not FORMATS[name].sequence:
            assert Fraction(proof.rate) == RATE


@pytest.mark.parametrize("name", [n for n, f in FORMATS.items() if not f.sequence])
def test_parts_join_without_being_encoded_again(tmp_path: Path, name: str) -> None:
    form = FORMATS[name]
    parts = [
        write(name, tmp_path / f"{k}{form.suffix}", FRAMES[a:b]) for k, (a, b) in enumerate([(0, 4), (4, 5), (5, 10)])
    ]
    joined = tmp_path / f"joined{form.suffix}"
    join_movies(form, parts, joined, RATE)
    assert proof_of(name, joined, FRAMES).passed
    assert not list(tmp_path.glob("*.part"))


def test_a_proof_fails_where_the_file_is_wrong(tmp_path: Path) -> None:
    path = write("ffv1", tmp_path / "a.mkv", FRAMES)
    other = [(rgb, np.where(alpha > 0.5, alpha, alpha * 0.5).astype(np.float32)) for rgb, alpha in FRAMES]
    assert "alpha is off by up to" in proof_of("ffv1", path, other).reason
    shifted = [((rgb * 0.9).astype(np.float32), alpha) for rgb, alpha in FRAMES]
    assert "colour is off" in proof_of("ffv1", path, shifted).reason
    assert "10 frames were found, 9 written" in proof_of("ffv1", path, FRAMES[:9]).reason
    assert not proof_of("prores4444", write("prores4444", tmp_path / "p.mov", FRAMES, "premultiplied"), FRAMES).passed
    path.write_bytes(path.read_bytes()[:9000])
    assert not proof_of("ffv1", path, FRAMES).passed


def test_a_format_refuses_the_alpha_it_cannot_hold(tmp_path: Path) -> None:
    for name in ("png16", "vp9"):
        with pytest.raises(MediaError, match="cannot hold premultiplied alpha"):
            write(name, tmp_path / "a", FRAMES, "premultiplied")


@pytest.mark.parametrize("name", ["ffv1", "png8"])
def test_a_file_that_was_not_finished_never_has_its_name(tmp_path: Path, name: str) -> None:
    form = FORMATS[name]
    path = tmp_path / f"a{form.suffix}"
    with (
        pytest.raises(ZeroDivisionError),
        open_writer(form, path, width=320, height=180, rate=RATE, alpha="straight") as writer,
    ):
        writer.write(*FRAMES[0])
        _ = 1 / 0
    assert not path.is_file()
    assert not list(tmp_path.rglob("*.part"))


def test_a_full_disk_is_one_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "write_bytes", full)
    with pytest.raises(MediaError, match="The disk is full"):
        write("png8", tmp_path / "a", FRAMES)
