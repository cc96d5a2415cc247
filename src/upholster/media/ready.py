"""Deliveries that are ready to be pressed: for each common need, the values that go with it.

Sizes and rates are common practice, no source.
"""

from fractions import Fraction
from typing import NamedTuple

from upholster.media.delivery import Delivery


class Ready(NamedTuple):
    """A delivery with a name to ask for it, and what it is in words."""

    name: str
    words: str
    delivery: Delivery


READY: tuple[Ready, ...] = (
    Ready("editing-master", "Editing master", Delivery(format="prores4444")),
    Ready("compositing-master", "Compositing master", Delivery(format="exr-half", alpha="premultiplied")),
    Ready(
        "web-element", "Small web element, 1000 px at 700 kbit/s", Delivery(format="vp9-small", size=1000, bitrate=700)
    ),
    Ready("web-animation", "Animated picture, 640 px", Delivery(format="webp", size=640)),
    Ready("web-avif", "Animated AVIF, 640 px", Delivery(format="avif", size=640)),
    Ready(
        "sticker",
        "Sticker, 480 px at 12 a second",
        Delivery(format="gif", size=480, rate=Fraction(12), palette=128, edge="threshold"),
    ),
    Ready("review", "Review over grey", Delivery(format="over-h264", size=1280, ground="#808080")),
    Ready("matte-pair", "Colour and matte, a pair", Delivery(format="pair-prores")),
)


def ready(name: str) -> Delivery:
    """The delivery of that name; KeyError where there is none."""
    return {each.name: each.delivery for each in READY}[name]
