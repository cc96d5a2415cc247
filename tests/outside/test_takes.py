"""Takes in delivered files, timed and looked at by programs that had no part in writing them."""

import json
import subprocess
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import pytest

from deliveries import deliver
from plates import GREEN, disc, flat, write_video
from upholster.core.colour import decode_srgb
from upholster.core.documents.recipe import Recipe, Take
from upholster.core.first_recipe import first_look
from upholster.media.decoder.reader import Reader, probe
from upholster.media.delivery import Delivery, plan
from upholster.studio.making import delivering
from upholster.studio.making.keying import Footage, KeyJob, screen_of, survey_footage
from upholster.studio.making.orders import Order

COUNT = 12
#: Each frame is as bright as it is late.
SHADES = [n / 16 + 0.1 for n in range(COUNT)]
FRAMES = [(flat((v, v, v), 64, 48), np.ones((48, 64), np.float32)) for v in SHADES]


def packets(file: Path, kind: str = "v") -> list[float]:
    """Times of a stream's packets, by Debian's ffprobe."""
    asked = ["ffprobe", "-v", "error", "-select_streams", kind, "-show_entries", "packet=pts_time", "-of", "json"]
    told = json.loads(subprocess.run([*asked, str(file)], check=True, capture_output=True).stdout)
    return sorted(float(packet["pts_time"]) for packet in told["packets"])


def brightness(file: Path, count: int) -> list[float]:
    """Mean of each frame, by Debian's FFmpeg."""
    asked = ["ffmpeg", "-v", "error", "-i", str(file), "-fps_mode", "passthrough", "-pix_fmt", "gray", "-f", "rawvideo"]
    raw = subprocess.run([*asked, "-"], check=True, capture_output=True).stdout
    return (np.frombuffer(raw, np.uint8).reshape(count, -1).mean(axis=1) / 255).tolist()


@pytest.mark.parametrize("name", ["prores4444", "vp9", "over-h264", "ffv1"])
@pytest.mark.parametrize(
    "take",
    [
        Take(speed=50),
        Take(speed=250, backwards=True),
        Take(first=2, last=7, hold_first=3, hold_last=5),
        Take(speed=40, between="flow", backwards=True, hold_last=2),
    ],
)
def test_packets_stand_where_frames_are_due(tmp_path: Path, name: str, take: Take) -> None:
    made = deliver(FRAMES, tmp_path, name, take=take)
    assert made.proof.passed, made.proof.reason
    times = packets(made.files[0])
    assert len(times) == made.planned.timing.frames
    # WebM and Matroska count in milliseconds.
    assert times == pytest.approx([n / 24 for n in range(len(times))], abs=0.0011)


def test_frames_come_out_in_the_order_of_the_take(tmp_path: Path) -> None:
    def seen(take: Take) -> list[int]:
        made = deliver(FRAMES, tmp_path / str(abs(hash(take))), "ffv1", take=take)
        levels = brightness(made.files[0], made.planned.timing.frames)
        return [int(np.argmin([abs(level - v) for v in SHADES])) for level in levels]

    assert seen(Take(backwards=True)) == list(reversed(range(COUNT)))
    assert seen(Take(speed=300)) == [0, 3, 6, 9]
    assert seen(Take(speed=50, first=9)) == [9, 9, 10, 10, 11, 11]
    assert seen(Take(first=3, last=5, hold_first=2, hold_last=1)) == [3, 3, 3, 4, 5, 5]


def test_motion_between_frames_lies_half_way(tmp_path: Path) -> None:
    """A textured disc that moves by 8 pixels: at half speed by flow, it is found 4 pixels on, and as sharp."""
    grain = cv2.GaussianBlur(np.random.default_rng(4).random((96, 240), np.float32), (0, 0), 2.5)
    texture = ((grain - grain.min()) / np.ptp(grain) * 0.8 + 0.1).astype(np.float32)

    def frame(at: int) -> tuple[np.ndarray, np.ndarray]:
        moved = texture[:, 80 - at : 240 - at]
        return np.stack([moved] * 3), disc(160, 96, x=at, y=48, radius=24)

    made = deliver([frame(60), frame(68)], tmp_path, "png16", take=Take(speed=50, between="flow"))
    with Reader(made.files) as reader:
        half = reader.frame(1)
    rgb, alpha = frame(64)
    assert half.alpha is not None and np.abs(half.alpha - alpha).mean() < 0.004
    inside = disc(160, 96, x=64, y=48, radius=20) == 1
    assert np.abs(half.rgb - rgb)[:, inside].mean() < 0.02


def test_sound_is_as_long_as_its_pictures(tmp_path: Path) -> None:
    silent = write_video(tmp_path / "silent.mov", [f for f, _ in FRAMES] * 4)
    film = tmp_path / "film.mov"
    made = [
        "ffmpeg",
        "-v",
        "error",
        "-i",
        silent,
        "-f",
        "lavfi",
        "-i",
        "sine=f=440:r=44100:d=2",
        "-c:v",
        "copy",
        "-c:a",
    ]
    subprocess.run([*map(str, made), "aac", str(film)], check=True)
    footage = Footage((film,), probe([film]))
    for name in ("prores4444", "vp9", "ffv1", "over-h264"):
        take = Take(speed=80, backwards=True, hold_last=7)
        job = KeyJob(footage, Recipe(take=take), None)
        planned = plan(Delivery(format=name, sound=True), footage.facts, take)
        out = tmp_path / f"{name}{planned.form.suffix}"
        assert delivering.deliver(job, Order(planned), out).passed
        heard = ["ffmpeg", "-v", "error", "-i", str(out), "-map", "0:a", "-ac", "1", "-ar", "48000", "-f", "f32le", "-"]
        sound = np.frombuffer(subprocess.run(heard, check=True, capture_output=True).stdout, np.float32)
        # Lossy codecs work in blocks; what they add at the ends is shorter than a frame.
        assert sound.size / 48000 == pytest.approx(planned.timing.frames / 24, abs=1 / 24), name
        silence = int(48000 * 6 / 24)
        assert np.abs(sound[-silence:]).max() < 0.02 < np.abs(sound[:48000]).max(), name


def test_footage_with_pixels_that_are_not_square_comes_out_square(tmp_path: Path) -> None:
    """ITU-T H.264, table E-1: a sample aspect ratio of 64:45 widens 720x576 to 1024; here at a quarter of that."""
    plain = write_video(tmp_path / "plain.mp4", [flat(GREEN, 180, 144) for _ in range(3)])
    wide = tmp_path / "wide.mp4"
    asked = [
        "ffmpeg",
        "-v",
        "error",
        "-i",
        str(plain),
        "-c",
        "copy",
        "-bsf:v",
        "h264_metadata=sample_aspect_ratio=64/45",
    ]
    subprocess.run([*asked, str(wide)], check=True)
    footage = Footage((wide,), probe([wide]))
    assert footage.facts.pixel_aspect == pytest.approx(64 / 45, abs=1e-5)
    recipe = first_look(survey_footage(footage), footage.facts.pixel_aspect).recipe
    planned = plan(Delivery(format="png8"), footage.facts, recipe.take)
    assert (planned.width, planned.height) == (256, 144)
    job = KeyJob(footage, recipe, screen_of(survey_footage(footage), recipe))
    assert delivering.deliver(job, Order(planned), tmp_path / "out").passed


def test_highlights_reach_an_openexr_file_as_bright_as_they_came(tmp_path: Path) -> None:
    """Scene-linear values up to 8, as "Technical Introduction to OpenEXR" has them, in and out again."""
    light = np.where(disc(96, 64, x=48, y=32, radius=14) > 0.5, np.float32(8), decode_srgb(flat(GREEN, 96, 64)))
    for number in range(3):
        path = tmp_path / f"plate.{number:04d}.exr"
        channels = {c: np.ascontiguousarray(light[k], np.float32) for k, c in enumerate("RGB")}
        with OpenEXR.File({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, channels) as file:
            file.write(str(path))
    files = tuple(sorted(tmp_path.glob("plate.*.exr")))
    footage = Footage(files, probe(files))
    taken = survey_footage(footage)
    recipe = first_look(taken).recipe
    planned = plan(Delivery(format="exr-float", alpha="premultiplied"), footage.facts, recipe.take)
    assert recipe.screen.kind == "screen"
    proof = delivering.deliver(KeyJob(footage, recipe, screen_of(taken, recipe)), Order(planned), tmp_path / "o")
    assert proof.passed, proof.reason
    with OpenEXR.File(str(sorted((tmp_path / "o").glob("*.exr"))[1]), separate_channels=True) as file:
        found = np.stack([file.channels()[c].pixels for c in "RGB"])
        alpha = file.channels()["A"].pixels
    inside = disc(96, 64, x=48, y=32, radius=10) == 1
    assert alpha[inside].min() > 0.99 and alpha[:10].max() < 0.01
    assert found[:, inside] == pytest.approx(8.0, rel=0.02)
