"""Sound in time with its pictures: trimmed to the sample, faster, slower, backwards, silent under holds."""

import subprocess
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from test_reader import write_video

from plates import shot
from upholster.core.documents.recipe import Take
from upholster.core.timemap import time_map
from upholster.media.decoder.reader import Reader
from upholster.media.sound import SoundWanted, sound_wanted

RATE, SAMPLES = Fraction(24), 48_000


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Two seconds: silence, then from 0.5 s a tone of 300 Hz, then from 1.5 s one of 900 Hz."""
    path = tmp_path_factory.mktemp("sound") / "film.mov"
    tone = "aevalsrc='if(lt(t,0.5),0,if(lt(t,1.5),0.5*sin(2*PI*300*t),0.5*sin(2*PI*900*t)))':s=48000:d=2"
    made = ["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=s=64x48:r=24:d=2", "-f", "lavfi", "-i", tone]
    subprocess.run([*made, "-c:v", "mpeg4", "-c:a", "pcm_s16le", str(path)], check=True)
    return path


def heard(film: Path, take: Take, *, rate: Fraction = RATE, container: str = "mov") -> tuple[np.ndarray, SoundWanted]:
    wanted = sound_wanted(time_map(take, 48, RATE, rate), RATE, 48, container)
    with Reader([film]) as reader:
        packed = reader.sound(wanted)
    assert packed
    decode = ["ffmpeg", "-v", "error", "-i", "-", "-f", "f32le", "-ac", "1", "-ar", str(SAMPLES), "-"]
    return np.frombuffer(
        subprocess.run(decode, input=packed, check=True, capture_output=True).stdout, np.float32
    ), wanted


def pitch(samples: np.ndarray) -> float:
    spectrum = np.abs(np.fft.rfft(samples * np.hanning(samples.size)))
    return float(np.argmax(spectrum) * SAMPLES / samples.size)


def test_a_take_of_a_clip_is_trimmed_to_the_sample(film: Path) -> None:
    sound, _ = heard(film, Take(first=6, last=29))
    assert sound.size == SAMPLES
    assert np.argmax(np.abs(sound) > 0.01) == pytest.approx(SAMPLES * 0.25, abs=60)


@pytest.mark.parametrize(("speed", "seconds"), [(50, 4.0), (200, 1.0), (125, 1.6)])
def test_speed_changes_the_length_and_not_the_pitch(film: Path, speed: float, seconds: float) -> None:
    sound, _ = heard(film, Take(speed=speed))
    frames = time_map(Take(speed=speed), 48, RATE).frames
    assert sound.size == round(frames / 24 * SAMPLES) and sound.size / SAMPLES == pytest.approx(seconds, abs=0.03)
    at = lambda t: int(t * seconds / 2 * SAMPLES)  # noqa: E731
    assert np.abs(sound[: at(0.4)]).max() < 0.01
    assert pitch(sound[at(0.7) : at(1.3)]) == pytest.approx(300, abs=8)
    assert pitch(sound[at(1.6) : at(1.95)]) == pytest.approx(900, abs=15)


def test_backwards_begins_with_the_end(film: Path) -> None:
    sound, _ = heard(film, Take(backwards=True))
    assert sound.size == 2 * SAMPLES and np.abs(sound[-SAMPLES // 3 :]).max() < 0.01
    assert pitch(sound[: SAMPLES // 3]) == pytest.approx(900, abs=10)


def test_holds_are_silent(film: Path) -> None:
    sound, _ = heard(film, Take(first=18, last=29, hold_first=12, hold_last=24))
    assert sound.size == 2 * SAMPLES
    silent = np.abs(sound) < 0.001
    assert silent[: SAMPLES // 2].all() and silent[-SAMPLES:].all() and not silent[SAMPLES // 2 : SAMPLES].all()


@pytest.mark.parametrize(("container", "codec"), [("mov", "pcm_s24le"), ("mp4", "aac"), ("matroska", "flac")])
def test_what_is_made_anew_is_in_a_codec_of_its_container(film: Path, container: str, codec: str) -> None:
    wanted = sound_wanted(time_map(Take(first=1), 48, RATE), RATE, 48, container)
    assert wanted.codec == codec and not wanted.unchanged("pcm_s16le")
    whole = sound_wanted(time_map(Take(), 48, RATE), RATE, 48, container)
    assert whole.unchanged("aac") and whole.unchanged("pcm_s16le") == (container != "mp4")


def test_ten_minutes_drift_by_less_than_a_frame(tmp_path: Path) -> None:
    """A click at 9 min 50 s, played 4 % faster, as film is on television (common practice, no source)."""
    # A picture a second is enough: it is the sound's length that the map of 24 a second decides.
    film, rate = tmp_path / "long.mov", Fraction(24)
    click = "aevalsrc='if(between(t,590,590.05),0.9*sin(2*PI*1000*t),0)':s=48000:d=600"
    made = ["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "color=s=32x32:r=1:d=600", "-f", "lavfi", "-i", click]
    subprocess.run([*made, "-c:v", "mpeg4", "-c:a", "pcm_s16le", str(film)], check=True)
    for take, due in ((Take(speed=Fraction(104)), 590 / 1.04), (Take(last=14380), 590.0)):  # type: ignore[arg-type]
        wanted = sound_wanted(time_map(take, 14400, rate), rate, 14400, "mov")
        with Reader([film]) as reader:
            packed = reader.sound(wanted)
        decode = ["ffmpeg", "-v", "error", "-i", "-", "-f", "f32le", "-ac", "1", "-ar", "48000", "-"]
        sound = np.frombuffer(subprocess.run(decode, input=packed, check=True, capture_output=True).stdout, np.float32)
        assert np.argmax(np.abs(sound) > 0.3) / 48000 == pytest.approx(due, abs=1 / 24)


def test_a_file_without_sound_gives_none(tmp_path: Path) -> None:
    film = write_video(tmp_path / "a.mp4", [shot()[0]] * 3)
    wanted = sound_wanted(time_map(Take(), 3, RATE), RATE, 3, "mov")
    with Reader([film]) as reader:
        assert reader.facts.sound == "" and reader.sound(wanted) is None
        assert reader.frame(1).rgb.shape == (3, 180, 320), "the reader goes on after a question about sound"
