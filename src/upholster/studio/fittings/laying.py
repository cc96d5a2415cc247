"""Laying something into a fitting: what is known of it, a fitting begun with it, one more layer."""

import itertools

from upholster.core.composite.layers import Size
from upholster.core.documents.fitting import Fitting, Layer, Source, changed, proposed_blend
from upholster.media.errors import MediaError
from upholster.studio.errors import Missing, Refused
from upholster.studio.fittings import sources
from upholster.studio.making.keying import Job
from upholster.studio.making.layer_footage import size_of


def job_to_lay(source: Source) -> Job:
    """What makes the pictures of something that is to be laid in; refused with a sentence where there are none."""
    try:
        return sources.job_of_source(source)
    except (Missing, Refused, MediaError) as error:
        raise Refused(f"This cannot be laid into a fitting: {str(error).rstrip('.')}.") from None


def begun_with(source: Source, name: str) -> Fitting:
    """A fitting of the size, rate and length of its only layer."""
    size = _size_of(source)
    layer = Layer(name=name[:80], source=source).model_dump(mode="json")
    frame = {"width": size.width, "height": size.height, "rate": str(size.rate), "length": size.length}
    return Fitting.model_validate({"frame": frame, "layers": [layer]})


def with_layer(document: Fitting, source: Source, name: str) -> Fitting:
    """A fitting with one more layer on top, in the middle, made to fit in."""
    size, frame = _size_of(source), document.frame
    number = next(n for n in itertools.count(len(document.layers.order) + 1) if f"n{n}" not in document.layers.each)
    layer = {
        "name": name[:80],
        "source": source.model_dump(mode="json"),
        "blend": proposed_blend(sources.ground_of(source)),
        "scale": round(min(1.0, frame.width / size.width, frame.height / size.height), 4),
    }
    layers = {"order": [*document.layers.order, f"n{number}"], "each": {f"n{number}": layer}}
    return changed(document, {"layers": layers})


def _size_of(source: Source) -> Size:
    return size_of(job_to_lay(source))
