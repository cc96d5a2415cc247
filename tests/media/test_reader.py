import os
import signal
import subprocess
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
import tifffile
from skimage.data import coffee

from plates import green_clip, shot, write_video
from upholster.demo.make import film
from upholster.media.decoder import tables
from upholster.media.decoder.children import close_server
from upholster.media.decoder.reader import Reader, probe
from upholster.media.errors import MediaError
from upholster.media.facts import as_runs, read_rate, runs_in_words
from upholster.media.proxy import Proxy, ProxyWriter
from upholster.media.sequences import find_pictures


def test_any_frame_in_any_order_is_the_frame_asked_for(tmp_path: Path) -> None:
    """B-frames and several groups of pictures: order in the file is not order of time."""
    plates = [shot(frame=n)[0] for n in range(30)]
    path = write_video(tmp_path / "a.mp4", plates, options={"crf": "8", "g": "10", "bf": "3"})
    with Reader([path]) as reader:
        assert reader.facts.length == 30 and reader.facts.rate == 24
        for n in (0, 29, 7, 8, 3, 21, 20):
            found = reader.frame(n).rgb
            errors = [float(((found - p) ** 2).mean()) for p in plates]
            assert int(np.argmin(errors)) == n


@pytest.mark.parametrize("rate", [Fraction(24000, 1001), Fraction(25), Fraction(30000, 1001), Fraction(60)])
@pytest.mark.parametrize("suffix", [".mp4", ".mkv", ".mov"])
def test_rates_are_exact(tmp_path: Path, rate: Fraction, suffix: str) -> None:
    path = write_video(tmp_path / f"a{suffix}", [shot(frame=n)[0] for n in range(12)], rate=rate)
    assert probe([path]).rate == rate


def test_a_rate_that_varies_is_made_constant_and_said(tmp_path: Path) -> None:
    plates = [shot(frame=n)[0] for n in range(12)]
    times = [0, 40, 80, 120, 160, 200, 400, 440, 480, 520, 560, 600]
    facts = probe([write_video(tmp_path / "a.mkv", plates, rate=25, pts=times)])
    assert facts.rate == 25 and "varies" in facts.notes[0]
    assert facts.length == 16 and facts.shown is not None
    assert facts.shown[5:11] == (5, 5, 5, 5, 5, 6)


def test_ten_bits_stay_ten_bits(tmp_path: Path) -> None:
    ramp = np.broadcast_to(np.linspace(0.3, 0.4, 320, dtype=np.float32), (3, 180, 320)).copy()
    path = tmp_path / "a.mkv"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=24)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "gbrp10le"
        frame = av.VideoFrame(320, 180, "gbrp10le")
        for plane in frame.planes:
            np.frombuffer(plane, "<u2").reshape(180, -1)[:, :320] = np.rint(ramp[0] * 1023)
        container.mux([*stream.encode(frame), *stream.encode(None)])
    with Reader([path]) as reader:
        assert reader.facts.depth == 10
        assert len(np.unique(reader.frame(0).rgb[1])) > 90


@pytest.mark.parametrize(
    ("codec", "pixels", "suffix"),
    [
        ("mpeg4", "yuv420p", ".avi"),
        ("libx265", "yuv420p10le", ".mp4"),
        ("libvpx-vp9", "yuv420p", ".webm"),
        ("prores_ks", "yuv422p10le", ".mov"),
        ("rawvideo", "bgr24", ".avi"),
        ("dnxhd", "yuv422p", ".mov"),
    ],
)
def test_common_codecs_are_read(tmp_path: Path, codec: str, pixels: str, suffix: str) -> None:
    plates = [np.stack([cv2.resize(c, (1280, 720)) for c in shot(frame=n)[0]]) for n in range(3)]
    options = {"profile": "dnxhr_hq"} if codec == "dnxhd" else {"b": "8M"}
    path = write_video(tmp_path / f"a{suffix}", plates, codec=codec, pixels=pixels, options=options)
    with Reader([path]) as reader:
        assert reader.facts.length == 3
        frames = [f.rgb for f in reader.frames(range(3))]
    assert np.abs(frames[1] - plates[1]).mean() < 0.03


def test_a_jpeg_still_has_the_colours_another_library_wrote(tmp_path: Path) -> None:
    """JFIF 1.02: BT.601 matrix, full range; written by OpenCV's own JPEG library."""
    plate, _ = shot(soft=4)
    cv2.imwrite(str(tmp_path / "a.jpg"), np.rint(plate[::-1].transpose(1, 2, 0) * 255), [cv2.IMWRITE_JPEG_QUALITY, 98])
    with Reader([tmp_path / "a.jpg"]) as reader:
        assert reader.facts.kind == "still" and reader.facts.length == 1
        assert np.abs(reader.frame(0).rgb - plate).mean() < 0.01


def test_sequences_are_read_in_the_order_of_their_numbers(tmp_path: Path) -> None:
    for n in (8, 9, 10, 11):
        tifffile.imwrite(tmp_path / f"moth_{n}.tif", np.full((20, 30, 3), n * 1000, np.uint16), photometric="rgb")
    files = find_pictures(str(tmp_path))
    with Reader(files) as reader:
        assert reader.facts.kind == "sequence" and reader.facts.depth == 16
        levels = [float(f.rgb[0, 0, 0] * 65535) for f in reader.frames(range(4))]
    assert levels == pytest.approx([8000, 9000, 10000, 11000], abs=1)
    assert find_pictures(str(tmp_path / "moth_%d.tif")) == files
    (tmp_path / "moth_9.tif").unlink()
    with pytest.raises(MediaError, match="Picture 9 of the sequence is missing"):
        find_pictures(str(tmp_path))


def broken(folder: Path, kind: str) -> Path:
    path = folder / f"{kind}.mp4"
    if kind == "empty":
        path.touch()
    elif kind == "text":
        path.write_text("not a video at all, just a letter\n" * 200)
    elif kind == "cut":
        whole = green_clip(folder / "whole.mp4").read_bytes()
        path.write_bytes(whole[: len(whole) // 2])
    elif kind == "sound":
        subprocess.run(["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=d=1", "-y", path], check=True)
    elif kind == "noise":
        path.write_bytes(np.random.default_rng(0).bytes(200_000))
    return path


@pytest.mark.parametrize("kind", ["empty", "text", "cut", "sound", "noise"])
def test_what_is_not_footage_gets_one_sentence(tmp_path: Path, kind: str) -> None:
    with pytest.raises(MediaError) as told:
        probe([broken(tmp_path, kind)])
    assert str(told.value).endswith(".") and str(told.value).count("\n") == 0


def test_a_picture_above_the_pixel_limit_is_refused(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("UPHOLSTER_MAX_PIXELS", "10000")
    close_server()
    with pytest.raises(MediaError, match="320 by 180; the limit is"):
        probe([green_clip(tmp_path / "a.mp4", 2)])
    close_server()


def test_a_decoder_that_dies_or_hangs_is_a_sentence_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = green_clip(tmp_path / "a.mp4", 4)
    with Reader([path]) as reader:
        assert reader._child is not None
        os.kill(reader._child.number, signal.SIGKILL)
        with pytest.raises(MediaError, match="stopped short"):
            reader.frame(0)
        assert reader.frame(2).rgb.shape == (3, 180, 320)
    monkeypatch.setattr("upholster.media.decoder.reader.SECONDS", 0.0)
    with pytest.raises(MediaError, match="took too long"):
        probe([path])


def test_damage_in_the_middle_does_not_stop_the_rest(tmp_path: Path) -> None:
    path = green_clip(tmp_path / "a.mp4", 24)
    data = bytearray(path.read_bytes())
    middle = len(data) // 2
    data[middle : middle + 60] = bytes(60)
    path.write_bytes(data)
    with Reader([path]) as reader:
        for n in (0, 5, 23):
            try:
                assert np.isfinite(reader.frame(n).rgb).all()
            except MediaError as told:
                assert "cannot be decoded" in str(told)


def test_a_proxy_holds_small_pictures_and_alpha(tmp_path: Path) -> None:
    from upholster.media.decoder.frames import Frame

    plates = [shot(frame=n) for n in range(3)]
    with ProxyWriter(tmp_path / "proxy", 3) as writer:
        for rgb, alpha in plates:
            writer.write(Frame(rgb, alpha))
    proxy = Proxy(tmp_path / "proxy", 3)
    for n in (2, 0, 1):
        frame = proxy.frame(n)
        assert np.abs(frame.rgb - plates[n][0]).mean() < 0.01
        assert frame.alpha is not None and np.abs(frame.alpha - plates[n][1]).mean() < 0.01


def test_a_proxy_cut_short_never_appears(tmp_path: Path) -> None:
    with pytest.raises(ZeroDivisionError), ProxyWriter(tmp_path / "proxy", 3):
        _ = 1 / 0
    assert not list(tmp_path.iterdir())


def spoiled(path: Path, frame: int) -> Path:
    """The same file with noise in the middle of one frame's data."""
    with av.open(str(path)) as source:
        packet = [p for p in source.demux(video=0) if p.size][frame]
        start, size = packet.pos, packet.size
    data = bytearray(path.read_bytes())
    noise = np.random.default_rng(3).integers(0, 256, 40, np.uint8).tobytes()
    data[start + size // 3 : start + size // 3 + 40] = noise
    other = path.with_name("spoiled" + path.suffix)
    other.write_bytes(data)
    return other


def test_frames_that_the_decoder_had_to_make_up_are_told(tmp_path: Path) -> None:
    """H.264 hides damage by copying from the frame before; all frames up to the next whole one are built on it."""
    plates = [shot(frame=n, noise=0.01)[0] for n in range(36)]
    whole = write_video(
        tmp_path / "a.mp4", plates, options={"crf": "14", "g": "12", "bf": "0", "x264-params": "scenecut=0"}
    )
    with Reader([spoiled(whole, 16)]) as reader:
        assert [n for n, f in enumerate(reader.frames(range(36))) if f.damaged] == list(range(16, 24))
        assert not reader.frame(12).damaged and reader.frame(20).damaged
    with Reader([whole]) as reader:
        assert not any(f.damaged for f in reader.frames(range(36)))


def test_a_file_of_four_frames_and_a_day_is_not_two_million_frames(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plates = [shot(frame=n)[0] for n in range(4)]
    path = write_video(tmp_path / "day.mkv", plates, pts=[0, 40, 80, 24 * 3600 * 1000])
    with pytest.raises(MediaError, match=r"24\.0 hours; the limit is 6\. Bring in a shorter piece\."):
        probe([path])
    monkeypatch.setenv("UPHOLSTER_MAX_FRAMES", "200")
    close_server()
    path = write_video(tmp_path / "long.mkv", plates, pts=[0, 40, 80, 10_000])
    with pytest.raises(MediaError, match=r"has 239 frames; the limit is 200"):
        probe([path])
    close_server()


def test_gaps_are_told(tmp_path: Path) -> None:
    plates = [shot(frame=n)[0] for n in range(5)]
    facts = probe([write_video(tmp_path / "gap.mkv", plates, pts=[0, 40, 80, 6080, 6120])])
    assert facts.length == 147 and "Nothing is recorded for 6.0 s after frame 2; it is held so long." in facts.notes


@pytest.mark.parametrize(
    "given", ["1e999999999", "1/0", "0", "-1", "nan", "24/", "9" * 300, "0.001", "1001", "²⁴", None, [], {}]
)
def test_what_is_no_rate_is_refused_without_reckoning_with_it(given: object) -> None:
    with pytest.raises(ValueError, match="rate"):
        read_rate(given)


def test_rates_are_read_exactly_and_frames_told_as_runs() -> None:
    assert [read_rate(r) for r in ("24", "23.976", "24000/1001", 25, Fraction(30))] == [
        24, Fraction(2997, 125), Fraction(24000, 1001), 25, 30,
    ]  # fmt: skip
    assert as_runs([9, 3, 4, 5, 11]) == ((3, 5), (9, 9), (11, 11))
    assert runs_in_words(as_runs([3])) == "frame 3" and runs_in_words(as_runs([3, 4, 8])) == "frames 3 to 4 and 8"
    assert runs_in_words(as_runs(range(0, 20, 2))).endswith("6 and 6 more places")


def test_a_file_that_was_opened_before_is_not_gone_through_again(tmp_path: Path) -> None:
    """The table of its frames lies beside the footage; cut off, false or of another file, it does no harm."""
    film = write_video(tmp_path / "a.mp4", [shot(frame=n)[0] for n in range(12)], options={"crf": "8", "g": "4"})
    beside = tmp_path / "demux.npz"
    with Reader([film], table=beside) as reader:
        facts = reader.facts
        frames = [frame.rgb for frame in reader.frames(range(12))]
    with np.load(beside) as kept:
        assert len(kept["pts"]) == 12 and kept["keys"].tolist()[0] == 0
    tables._known.clear()
    with Reader([film], facts, beside) as reader:
        assert all(np.array_equal(a, reader.frame(n).rgb) for n, a in enumerate(frames))
    for spoiled in (b"", b"PK\x03\x04", beside.read_bytes()[:100]):
        tables._known.clear()
        beside.write_bytes(spoiled)
        with Reader([film], facts, beside) as reader:
            assert np.array_equal(reader.frame(7).rgb, frames[7])
    shorter = write_video(tmp_path / "a.mp4", [shot(frame=n)[0] for n in range(5)])
    with Reader([shorter]) as reader:
        assert reader.facts.length == 5, "a file written anew under the same name is another file"


@pytest.mark.parametrize(
    "table", [{}, {"pts": "x", "keys": []}, {"pts": [10**30], "keys": [0]}, {"pts": [[1], 2], "keys": []}]
)
def test_what_a_child_calls_a_table_is_not_believed(tmp_path: Path, table: dict[str, object]) -> None:
    (tmp_path / "a").touch()
    tables.keep_table([str(tmp_path / "a")], tmp_path / "t.npz", table)
    assert not (tmp_path / "t.npz").exists() and tables.known_table([str(tmp_path / "a")], tmp_path / "t.npz") is None


@pytest.mark.parametrize(
    ("tags", "words"),
    [
        ("-color_trc arib-std-b67 -color_primaries bt2020 -colorspace bt2020nc", "HLG, for HDR"),
        ("-color_trc smpte2084 -color_primaries bt2020 -colorspace bt2020nc", "PQ, for HDR"),
        ("-color_trc bt2020-10 -color_primaries bt2020 -colorspace bt2020nc", "those of BT.2020"),
        ("-color_trc bt709 -color_primaries bt709 -colorspace bt709", ""),
    ],
)
def test_wide_and_bright_colours_are_told_of(tmp_path: Path, tags: str, words: str) -> None:
    """Files written and tagged by Debian's FFmpeg."""
    path = tmp_path / "a.mp4"
    source = ["-f", "lavfi", "-i", "testsrc=size=64x48:rate=24:duration=0.2", "-pix_fmt", "yuv420p"]
    subprocess.run(["ffmpeg", "-v", "error", *source, *tags.split(), path], check=True)
    notes = " ".join(probe([path]).notes)
    assert words in notes if words else "BT.2020" not in notes and "HDR" not in notes


def cup(n: int) -> np.ndarray:
    """A photograph that moves along, ``(h, w, 3)`` 0..1."""
    return np.roll(coffee(), 4 * n, axis=1).astype(np.float32) / np.float32(255)


@pytest.mark.parametrize("pixels", ["yuv420p", "yuv422p"])
def test_chroma_lies_where_the_picture_shows_it(tmp_path: Path, pixels: str) -> None:
    """FFmpeg's scaler averages two columns where it comes from RGB, and says nothing of it in the file."""
    frames = [cup(n).transpose(2, 0, 1) for n in range(5)]
    video = write_video(tmp_path / "cup.mp4", frames, pixels=pixels)
    found = probe([video])
    assert found.colour.siting == "center"
    with Reader([video], found) as as_found, Reader([video]) as as_stated:
        assert as_stated.facts.colour.siting == "left"
        errors = [np.abs(reader.frame(2).rgb - frames[2]).mean() for reader in (as_found, as_stated)]
    assert errors[0] < 0.95 * errors[1]


def test_chroma_of_a_camera_lies_at_the_left(tmp_path: Path) -> None:
    film(tmp_path / "cup.mp4", 5, cup)
    assert probe([tmp_path / "cup.mp4"]).colour.siting == "left"
