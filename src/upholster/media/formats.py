"""The table of formats a clip can be delivered in, all with alpha."""

from typing import NamedTuple

from upholster.media.facts import AlphaKind


class Format(NamedTuple):
    """One way to write a clip.

    Attributes
    ----------
    depth, alpha_depth : int
        Bits of a colour component and of alpha that arrive in the file.
    alpha_kinds : tuple
        What the format allows, the usual kind first.
    worst_alpha, mean_alpha, mean_colour : float
        Errors a proof allows, 0..1; colour where alpha is above one half.
    """

    name: str
    title: str
    suffix: str
    container: str
    codec: str
    pixels: str
    depth: int
    alpha_depth: int
    alpha_kinds: tuple[AlphaKind, ...]
    note: str
    worst_alpha: float
    mean_alpha: float
    mean_colour: float
    options: dict[str, str] = {}

    @property
    def sequence(self) -> bool:
        return self.container == "sequence"

    @property
    def lossless(self) -> bool:
        return self.worst_alpha < 1 / 255


def _step(bits: int) -> float:
    """Half a code value of `bits`, with a hair for the float32 it is compared in."""
    return 0.5 / ((1 << bits) - 1) + 2e-6


_BOTH: tuple[AlphaKind, ...] = ("straight", "premultiplied")
_FFV1 = {"level": "3", "slicecrc": "1", "slices": "4", "context": "0", "g": "1"}

_TABLE = [
    Format(
        "prores4444",
        "ProRes 4444",
        ".mov",
        "mov",
        "prores_ks",
        "yuva444p10le",
        10,
        16,
        _BOTH,
        "For editing and compositing: 10-bit colour, 16-bit alpha, large files.",
        3 / 255,
        0.5 / 255,
        1.5 / 255,
        {"profile": "4444", "alpha_bits": "16"},
    ),
    Format(
        "ffv1",
        "FFV1, 8 bits",
        ".mkv",
        "matroska",
        "ffv1",
        "bgra",
        8,
        8,
        _BOTH,
        "Lossless and open (RFC 9043), 8 bits a channel.",
        _step(8),
        _step(8),
        _step(8),
        _FFV1,
    ),
    Format(
        "ffv1-16",
        "FFV1, 16 bits",
        ".mkv",
        "matroska",
        "ffv1",
        "gbrap16le",
        16,
        16,
        _BOTH,
        "Lossless and open (RFC 9043), 16 bits a channel; four times as slow.",
        _step(16),
        _step(16),
        _step(16),
        _FFV1,
    ),
    Format(
        "vp9",
        "WebM VP9",
        ".webm",
        "webm",
        "libvpx-vp9",
        "yuva420p",
        8,
        8,
        ("straight",),
        "For web pages and slides: small, plays with transparency in the browser.",
        40 / 255,
        1 / 255,
        4 / 255,
        {
            "auto-alt-ref": "0",
            "lag-in-frames": "0",
            "deadline": "good",
            "cpu-used": "5",
            "crf": "18",
            "b": "0",
            "row-mt": "1",
        },
    ),
    Format(
        "png8",
        "PNG sequence, 8 bits",
        ".png",
        "sequence",
        "png",
        "rgba",
        8,
        8,
        ("straight",),
        "One lossless picture a frame; PNG is always straight.",
        _step(8),
        _step(8),
        _step(8),
    ),
    Format(
        "png16",
        "PNG sequence, 16 bits",
        ".png",
        "sequence",
        "png",
        "rgba64",
        16,
        16,
        ("straight",),
        "One lossless picture a frame, 16 bits a channel; PNG is always straight.",
        _step(16),
        _step(16),
        _step(16),
    ),
]

FORMATS = {f.name: f for f in _TABLE}

ALPHA_WORDS = {
    "straight": "Straight: the colour is kept whole under the alpha. Most programs expect this.",
    "premultiplied": "Premultiplied: the colour is already multiplied by alpha. Say so where you bring it in.",
}
