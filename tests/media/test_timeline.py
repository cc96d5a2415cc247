"""Fittings as timelines: read by OpenTimelineIO itself, and back again."""

import json
from fractions import Fraction
from typing import Any

import opentimelineio as otio
import pytest

from upholster.core.composite.layers import Size
from upholster.core.composite.values import as_csv, as_json, values
from upholster.core.documents.fitting import Fitting, FittingError, Source, read_fitting
from upholster.media.errors import MediaError
from upholster.media.timeline import Media, fitting_of, timeline_of

WREN = {"kind": "file", "path": "wren 1.mov"}
MEDIA = Media("wren 1.mov", 24, Fraction(24))


def fitting(*layers: dict[str, Any], **more: Any) -> Fitting:
    frame = {"width": 640, "height": 360, "rate": "24", "length": 60} | more.pop("frame", {})
    each = [{"source": WREN, "name": f"L{k}", **layer} for k, layer in enumerate(layers)]
    return read_fitting({"frame": frame, "layers": each, **more})


def written(document: Fitting, **media: Media) -> otio.schema.Timeline:
    known = {mark: media.get(mark, MEDIA) for mark in document.layers.order}
    return otio.adapters.read_from_string(timeline_of(document, "Dusk", known), "otio_json")


def back(timeline: otio.schema.Timeline) -> Fitting:
    return fitting_of(otio.adapters.write_to_string(timeline, "otio_json"), lambda own, name: own or named(name))[1]


def named(name: str) -> Source:
    return Source(kind="file", path=name)


def lies(timeline: otio.schema.Timeline, track: int = 0) -> list[tuple[int, int, int, str]]:
    """Start and length in the timeline, first frame of the file, and effect, of each clip of a track."""
    told = []
    for clip in timeline.tracks[track].find_clips():
        range_ = clip.transformed_time_range(clip.trimmed_range(), timeline.tracks)
        effect = clip.effects[0] if clip.effects else None
        kind = "held" if isinstance(effect, otio.schema.FreezeFrame) else f"{effect.time_scalar}" if effect else ""
        first = round(clip.source_range.start_time.value)
        told.append((round(range_.start_time.value), round(range_.duration.value), first, kind))
    return told


def test_layers_are_tracks_with_their_times_speeds_and_files() -> None:
    document = fitting(
        {"start": 10, "after": "gone"},
        {"first": 4, "last": 15, "speed": 50, "after": "gone", "backwards": True, "hidden": True},
        {"start": 6, "length": 50, "after": "loop"},
        {"after": "hold", "start": 20, "hold_first": 3},
    )
    timeline = written(document, n2=Media("bell.wav", 24, Fraction(24), sound_only=True))
    assert [track.kind for track in timeline.tracks] == ["Video", "Audio", "Video", "Video"]
    assert [track.enabled for track in timeline.tracks] == [True, False, True, True]
    assert lies(timeline, 0) == [(10, 24, 0, "")]
    assert lies(timeline, 1) == [(0, 24, 4, "-0.5")]
    assert lies(timeline, 2) == [(6, 24, 0, ""), (30, 24, 0, ""), (54, 2, 0, "")]
    assert lies(timeline, 3) == [(20, 3, 0, "held"), (23, 24, 0, ""), (47, 13, 23, "held")]
    clip = next(iter(timeline.tracks[0].find_clips()))
    assert clip.media_reference.target_url == "wren%201.mov"
    assert clip.media_reference.available_range.duration == otio.opentime.RationalTime(24, 24)
    assert timeline.duration() == otio.opentime.RationalTime(60, 24)


def test_a_timeline_of_our_own_comes_back_as_the_fitting_it_was() -> None:
    drift = [{"frame": 0, "value": -40, "next": "smooth"}, {"frame": 50, "value": 60}]
    document = fitting(
        {"x": drift, "scale": 0.4, "blend": "screen", "repeat": {"copies": 5, "step_x": 30}, "finish": {"tint": 0.3}},
        {"start": -7, "after": "loop", "speed": 150}, {"start": 12, "after": "hold", "hold_first": 2, "gain": -6},
        {"start": 3, "length": 9, "first": 5, "last": 11, "after": "gone", "backwards": True, "opacity": 0.5},
        ground={"colour": "#102030"}, sound={"limited": True},
    )  # fmt: skip
    assert back(written(document)) == document


def test_what_another_program_changed_is_taken_from_where_it_lies_now() -> None:
    timeline = written(fitting({"start": 10, "after": "loop", "x": 33.0}))
    track = timeline.tracks[0]
    del track[2:]
    gap, clip = track[0], track[1]
    gap.source_range = otio.opentime.TimeRange(duration=otio.opentime.RationalTime(4, 24))
    time = otio.opentime.RationalTime
    clip.source_range = otio.opentime.TimeRange(time(6, 24), time(12, 24))
    clip.effects.append(otio.schema.LinearTimeWarp(time_scalar=0.5))
    layer = back(timeline).layers.each["n1"]
    assert (layer.start, layer.first, layer.length, layer.speed, layer.after) == (4, 6, 12, 50, "gone")
    assert layer.x == 33


def test_a_timeline_of_another_program_becomes_layers_with_files_found_by_name() -> None:
    time = otio.opentime.RationalTime
    timeline = otio.schema.Timeline("Cut", global_start_time=time(86_400, 25))
    for number in range(2):
        track = otio.schema.Track(f"V{number}", kind="Video")
        track.append(otio.schema.Gap(duration=time(10 * number, 25)))
        reference = otio.schema.ExternalReference(f"file:///somewhere/else/take%20{number}.mov")
        shows = otio.opentime.TimeRange(time(5, 25), time(30, 25))
        track.append(otio.schema.Clip(f"take {number}", reference, shows))
        timeline.tracks.append(track)
    document = back(timeline)
    assert (document.frame.rate, document.frame.length) == (25, 40)
    told = [
        (layer.name, layer.source.path, layer.start, layer.first, layer.length) for layer in document.layers.in_order
    ]
    assert told == [("take 0", "take 0.mov", 0, 5, 30), ("take 1", "take 1.mov", 10, 5, 30)]


@pytest.mark.parametrize("text", ["", "{}", "[1, 2]", "no json", '{"OTIO_SCHEMA": "Clip.1", "name": "x"}'])
def test_what_is_no_timeline_gets_one_sentence(text: str) -> None:
    with pytest.raises(MediaError, match=r"\.$"):
        fitting_of(text, lambda own, name: named(name))


def test_nonsense_beside_a_timeline_is_refused_by_name() -> None:
    timeline = written(fitting({}))
    timeline.metadata["upholster"]["frame"] = {"width": -5}
    with pytest.raises(FittingError, match="frame.width"):
        back(timeline)
    timeline.metadata["upholster"]["frame"] = {"width": 64, "rate": "soon"}
    with pytest.raises(FittingError, match="frame.rate"):
        back(timeline)


def test_numbers_by_frame_are_those_a_layer_is_shown_with() -> None:
    drift = [{"frame": 0, "value": 0}, {"frame": 10, "value": 100}]
    document = fitting({"x": drift, "start": 2, "after": "gone"}, {"speed": 200}, frame={"length": 30})
    sizes = {"n1": Size(320, 180, 24, Fraction(24))}
    rows = list(values(document, "n1", sizes["n1"]))
    assert len(rows) == 30 and rows[5]["x"] == pytest.approx(50)
    assert [rows[n]["picture"] for n in (1, 2, 25, 26)] == [None, 0, 23, None]
    assert {row["picture"] for row in values(document, "n2", None)} == {None}
    lines = as_csv(document, sizes).splitlines()
    assert lines[0].startswith("layer,frame,picture,x,y,scale") and len(lines) == 61
    told = json.loads(as_json(document, sizes))
    assert [each["layer"] for each in told["layers"]] == ["L0", "L1"] and len(told["layers"][0]["frames"]) == 30
    assert told["layers"][0]["frames"][5]["x"] == 50 and told["frame"]["rate"] == "24"
