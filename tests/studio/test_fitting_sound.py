"""A fitting that sounds: files of sound alone are brought in, laid in, mixed and delivered in time."""

import json
from pathlib import Path

import numpy as np
import pytest

from conftest import House, wait_for
from plates import green_clip
from sounds import clicks, write_clicks
from upholster.core.documents.fitting import Fitting, read_fitting
from upholster.core.sound.mix import RATE
from upholster.media.delivery import Delivery
from upholster.media.errors import MediaError
from upholster.media.mixing import unpacked
from upholster.store.models import Clip
from upholster.studio.errors import Refused
from upholster.studio.fittings import fittings, look, sources
from upholster.studio.footage import bring_in
from upholster.studio.renders import listed, renders
from upholster.studio.renders.states import ACTIVE
from upholster.studio.stock import search, stock
from visitor import Visitor


@pytest.fixture(scope="module")
def sound_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    folder = tmp_path_factory.mktemp("sound")
    footage, _ = bring_in.take_in(write_clicks(folder / "gong.wav", 0.25).parent, "gong.wav")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    return footage.id


@pytest.fixture(scope="module")
def picture_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    folder = tmp_path_factory.mktemp("seen")
    footage, _ = bring_in.take_in(green_clip(folder / "heron.mp4", 6, 0.0191).parent, "heron.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    return footage.id


def fitting(sound_id: int, picture_id: int, **sound: object) -> Fitting:
    layers = [
        {"source": {"kind": "footage", "id": picture_id}, "name": "Heron"},
        {"source": {"kind": "footage", "id": sound_id}, "name": "Gong", "after": "gone"} | sound,
    ]
    return read_fitting({"frame": {"width": 160, "height": 90, "length": 48}, "layers": layers})


def finished(fitting_id: int, *deliveries: Delivery) -> list[Clip]:
    made = [r.id for r in renders.order_fitting(fitting_id, 1, deliveries)]
    wait_for(lambda: all(r.state not in ACTIVE for r in listed.all_renders() if r.id in made))
    problems = [r.problem for r in listed.all_renders() if r.id in made and r.problem]
    assert not problems, problems
    return [next(c for c in search.clips() if c.render_id == n) for n in made]


def test_sound_alone_is_footage_without_pictures(sound_id: int, house: House) -> None:
    footage = bring_in.get_footage(sound_id)
    assert (footage.facts["kind"], footage.facts["length"], footage.facts["width"]) == ("sound", 48, 0)
    assert next(f for f in bring_in.all_footage() if f.id == sound_id).shots == []
    assert sound_id not in [ground.id for ground in bring_in.grounds()]
    status, (content, headers) = Visitor(house).ask(f"/footage/{sound_id}/sound", method="GET")
    assert status == 200 and content[:4] == b"RIFF" and "audio" in headers["Content-Type"]
    assert Visitor(house).ask(f"/footage/{sound_id}/frame/0.jpg", method="GET")[0] == 404


@pytest.mark.parametrize(
    ("layer", "heard"),
    [
        ({}, [0.25]),
        ({"start": 12}, [0.75]),
        ({"start": 6, "speed": 50}, [0.75]),
        ({"backwards": True}, [1.74]),
        ({"after": "loop", "last": 23}, [0.25, 1.25]),
        ({"muted": True}, []),
        ({"hidden": True}, []),
    ],
)
def test_a_click_is_heard_when_it_should_be(
    sound_id: int, picture_id: int, layer: dict[str, object], heard: list[float]
) -> None:
    job = sources.job_heard(fitting(sound_id, picture_id, **layer))
    if not heard:
        assert not job.sounds and not job.footage.facts.sound
        return
    mix = job.mix()
    assert mix.shape == (2, 2 * RATE) and np.array_equal(mix[0], mix[1])
    loud = np.flatnonzero(np.abs(mix[0]) > 0.05)
    begins = loud[np.diff(loud, prepend=-RATE) > RATE // 20] / RATE
    # Slowed sound keeps its pitch, and what does that spreads a click over some milliseconds.
    assert begins == pytest.approx(heard, abs=0.08 if "speed" in layer else 0.002)


def test_a_delivered_fitting_sounds_in_time_with_its_pictures(sound_id: int, picture_id: int) -> None:
    row = fittings.new_fitting("Heard", fitting(sound_id, picture_id, start=12, gain=-3))
    made = finished(row.id, Delivery(format="over-h264", sound=True), Delivery(format="ffv1", sound=True))
    for clip in made:
        assert clip.sound and clicks(stock.file_of(clip)) == pytest.approx([0.75], abs=0.01)
    # Laid into another fitting, the clip sounds along.
    nested = read_fitting(
        {
            "frame": {"width": 160, "height": 90, "length": 48},
            "layers": [{"source": {"kind": "clip", "id": made[1].id}}],
        }
    )
    assert np.abs(sources.job_heard(nested).mix()[0, : RATE // 2]).max() < 1e-3
    assert np.abs(sources.job_heard(nested).mix()[0, round(0.75 * RATE) : round(0.77 * RATE)]).max() > 0.2


def test_what_goes_over_is_told_and_can_be_turned_down(house: House, sound_id: int, picture_id: int) -> None:
    visitor = Visitor(house)
    loud = fittings.new_fitting("Loud", fitting(sound_id, picture_id, gain=12))
    status, (content, headers) = visitor.ask(f"/fittings/{loud.id}/mix.wav", {"base": 1})
    assert status == 200 and unpacked(content).shape == (2, 2 * RATE)
    told = json.loads(headers["X-Loudness"])
    # Half of full scale, 12 dB louder.
    assert told["over"] == pytest.approx(0.25, abs=0.001) and told["peak"] == pytest.approx(6, abs=0.5)
    change = {"base": 1, "changes": {"sound": {"limited": True}}}
    _, (content, headers) = visitor.ask(f"/fittings/{loud.id}/mix.wav", change)
    assert '"over": null' in headers["X-Loudness"] and np.abs(unpacked(content)).max() < 0.9
    silent = fittings.new_fitting("Silent", fitting(sound_id, picture_id, muted=True))
    assert visitor.ask(f"/fittings/{silent.id}/mix.wav", {"base": 1})[0] == 204
    with pytest.raises(MediaError, match="The source has no sound"):
        renders.order_fitting(silent.id, 1, [Delivery(format="over-h264", sound=True)])


def test_a_broken_sound_gets_one_sentence(house: House, tmp_path: Path) -> None:
    (tmp_path / "torn.mp3").write_bytes(b"ID3" + bytes(range(256)) * 40)
    with pytest.raises(MediaError, match=r"\.$"):
        bring_in.take_in(tmp_path, "torn.mp3")


def test_sound_alone_is_no_ground(sound_id: int, picture_id: int) -> None:
    layer = {"source": {"kind": "footage", "id": picture_id}}
    ground = {"source": {"kind": "footage", "id": sound_id}}
    document = read_fitting({"frame": {"width": 64, "height": 36}, "layers": [layer], "ground": ground})
    with pytest.raises(Refused, match="The ground of this fitting cannot be used: it holds sound alone"):
        sources.job_of(document, over_ground=True)
    assert look.picture(document, 0, "quick").shape == (36, 64, 4)
