"""Fittings as timelines of OpenTimelineIO: one track a layer, times and speeds as others read them, the rest beside.

What such a timeline has no words for (places, sizes, blending, finish) goes along as metadata under ``upholster``, and
is taken from there again.
"""

from collections.abc import Callable, Iterator, Mapping
from fractions import Fraction
from pathlib import PurePosixPath
from typing import Any, NamedTuple
from urllib.parse import quote, unquote, urlsplit

from upholster.core.documents.fitting import LONGEST, Fitting, Layer, Source, read_fitting
from upholster.core.timemap import TimeMap, time_map
from upholster.media.errors import MediaError

_OURS = "upholster"


class Media(NamedTuple):
    """What is known of what a layer is made from: the file's name, its frames, how many a second, and what it is."""

    name: str
    length: int
    rate: Fraction
    sound_only: bool = False


#: Finds what a clip of a timeline is made from, by what we said of it (None where another program wrote it) and by the
#: name of its file.
Find = Callable[[Source | None, str], Source]


def timeline_of(fitting: Fitting, name: str, media: Mapping[str, Media]) -> str:
    """A fitting as an ``.otio`` document; layers without `media` lie there as missing ones."""
    # Imported late: few commands need it, and all would wait.
    import opentimelineio as otio

    rate = float(fitting.frame.rate)
    timeline = otio.schema.Timeline(name, global_start_time=otio.opentime.RationalTime(0, rate))
    rest = fitting.model_dump(mode="json", exclude={"layers"})
    timeline.metadata[_OURS] = rest | {"paused": fitting.layers.paused}
    for mark in fitting.layers.order:
        layer = fitting.layers.each[mark]
        known = media.get(mark, Media("", 1, fitting.frame.rate))
        kind = otio.schema.TrackKind.Audio if known.sound_only else otio.schema.TrackKind.Video
        track = otio.schema.Track(layer.name, kind=kind)
        track.enabled = not layer.hidden
        track.extend(_items(fitting, mark, layer, known, missing=mark not in media))
        timeline.tracks.append(track)
    return str(otio.adapters.write_to_string(timeline, "otio_json", indent=2))


def _items(fitting: Fitting, mark: str, layer: Layer, media: Media, *, missing: bool) -> Iterator[Any]:
    """What a layer's track holds: a gap, then its pictures, held, moving and held, as often as they begin again."""
    import opentimelineio as otio

    def time(frames: float, rate: Fraction) -> Any:
        return otio.opentime.RationalTime(frames, float(rate))

    rate, times = fitting.frame.rate, time_map(layer, media.length, media.rate, fitting.frame.rate)
    end = fitting.frame.length if layer.length is None else min(fitting.frame.length, layer.start + layer.length)
    at = max(layer.start, 0)
    if at >= end:
        return
    if at:
        yield otio.schema.Gap(duration=time(at, rate))
    available = otio.opentime.TimeRange(time(0, media.rate), time(media.length, media.rate))
    begins = at - layer.start
    for part, held, count in _parts(times, layer, begins, end - at):
        own = part % times.frames if layer.after == "loop" else part
        first = times.span.start if layer.backwards and not held else times.source(own)
        shows = otio.opentime.TimeRange(time(first, media.rate), time(count, rate))
        clip = otio.schema.Clip(layer.name, source_range=shows)
        if missing:
            clip.media_reference = otio.schema.MissingReference()
        else:
            clip.media_reference = otio.schema.ExternalReference(quote(media.name), available)
        speed = layer.speed / 100 * (-1 if layer.backwards else 1)
        if held:
            clip.effects.append(otio.schema.FreezeFrame())
        elif speed != 1:
            clip.effects.append(otio.schema.LinearTimeWarp(time_scalar=speed))
        told: dict[str, Any] = {"mark": mark}
        if part == begins:
            told["lies"] = {"start": at, "length": count, "first": first, "speed": 1.0 if held else speed}
            told["layer"] = layer.model_dump(mode="json")
        clip.metadata[_OURS] = told
        yield clip


def _parts(times: TimeMap, layer: Layer, first: int, count: int) -> Iterator[tuple[int, bool, int]]:
    """Runs of a layer's own frames from `first` on: where each begins, whether it is held, and how long it is."""
    at, left = first, count
    while left > 0:
        own = at % times.frames if layer.after == "loop" else at
        if own >= times.frames:
            if layer.after == "hold":
                yield at, True, left
            return
        moving = times.moving
        held = own not in moving
        stop = moving.stop if not held else moving.start if own < moving.start else times.frames
        run = min(left, stop - own)
        yield at, held, run
        at, left = at + run, left - run


def fitting_of(text: str, find: Find) -> tuple[str, Fitting]:
    """The name and the fitting of an ``.otio`` document, of this program's or any other's.

    Where each clip lies, which part of its file it shows and how fast are the timeline's; the rest is what this program
    wrote beside it, or the defaults.

    Raises
    ------
    MediaError, upholster.core.documents.fitting.FittingError
        Where it is no timeline, or none that makes a fitting.
    """
    import opentimelineio as otio

    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
    except Exception:
        raise MediaError("This is no timeline of OpenTimelineIO. Save it as .otio, and bring that in.") from None
    if not isinstance(timeline, otio.schema.Timeline):
        raise MediaError("This document of OpenTimelineIO holds no timeline.")
    told = _plain(timeline.metadata.get(_OURS, {}))
    frame = told.get("frame") if isinstance(told.get("frame"), dict) else _frame(timeline)
    rate = read_fitting({"frame": frame}).frame.rate
    layers: dict[str, dict[str, Any]] = {}
    for track in timeline.tracks:
        for clip in track.find_clips():
            ours = _plain(clip.metadata.get(_OURS, {}))
            if "mark" in ours and "layer" not in ours:
                # It goes on from one that was met before.
                continue
            mark = str(ours.get("mark", "")) if str(ours.get("mark", "")) not in layers else ""
            layers[mark or _free(layers)] = _layer(clip, track, timeline, ours, rate, find)
    parts = {name: told[name] for name in ("ground", "sound") if name in told}
    paused = bool(told.get("paused", False))
    document = {"frame": frame, "layers": {"order": list(layers), "each": layers, "paused": paused}, **parts}
    return timeline.name or "Timeline", read_fitting(document)


def _frame(timeline: Any) -> dict[str, Any]:
    """The rate and the length of a timeline that another program wrote; it says nothing of a size."""
    start, length = timeline.global_start_time, timeline.duration()
    rate = (start or length).rate or 24
    whole = Fraction(rate).limit_denominator(1001)
    return {"rate": str(whole), "length": max(1, min(LONGEST, round(length.rescaled_to(rate).value)))}


def _layer(clip: Any, track: Any, timeline: Any, ours: dict[str, Any], rate: Fraction, find: Find) -> dict[str, Any]:
    import opentimelineio as otio

    shows = clip.trimmed_range()
    lies = clip.transformed_time_range(shows, timeline.tracks)
    speed = next((e.time_scalar for e in clip.effects if isinstance(e, otio.schema.LinearTimeWarp)), 1.0)
    if any(isinstance(e, otio.schema.FreezeFrame) for e in clip.effects):
        speed = 1.0
    found = {
        "start": round(lies.start_time.rescaled_to(float(rate)).value),
        "length": max(1, round(lies.duration.rescaled_to(float(rate)).value)),
        "first": max(0, round(shows.start_time.value)),
        "speed": speed,
    }
    layer = dict(ours.get("layer") or {"name": (clip.name or "Layer")[:80]})
    own = Source.model_validate(layer["source"]) if "source" in layer else None
    reference = clip.media_reference
    address = getattr(reference, "target_url", "") or getattr(reference, "target_url_base", "") or clip.name
    layer["source"] = find(own, PurePosixPath(unquote(urlsplit(address).path)).name).model_dump(mode="json")
    layer["hidden"] = not track.enabled
    # Only what was changed since this program wrote it is taken from where it lies now.
    before = ours.get("lies", {})
    changed = {name: value for name, value in found.items() if before.get(name) != value}
    if "speed" in changed:
        layer["speed"], layer["backwards"] = round(abs(speed) * 100, 6), speed < 0
    if "length" in changed:
        layer |= {"length": found["length"], "after": "gone"}
    return layer | {name: changed[name] for name in ("start", "first") if name in changed}


def _free(layers: Mapping[str, object]) -> str:
    number = len(layers) + 1
    while f"n{number}" in layers:
        number += 1
    return f"n{number}"


def _plain(held: Any) -> Any:
    """What a document of the library holds, as plain dictionaries and lists."""
    if hasattr(held, "items"):
        return {str(key): _plain(value) for key, value in held.items()}
    if isinstance(held, str | bytes) or not hasattr(held, "__iter__"):
        return held
    return [_plain(each) for each in held]
