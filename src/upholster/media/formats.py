"""The table of formats a shot can be delivered in, by what the clip is for."""

from typing import Literal, NamedTuple

from upholster.media.facts import AlphaKind

#: What the pictures of a format show: the keyed subject with alpha; its matte alone; colour and matte
#: as a pair of files; the subject over a flat colour; over a ground.
Content = Literal["keyed", "matte", "pair", "flat", "over"]

#: What clips are for, in the words of whoever wants one.
NEEDS = {
    "edit": "editing and compositing",
    "archive": "archive and exchange",
    "pictures": "a picture sequence",
    "web": "web, slides and streams",
    "3d": "a card for 3D",
    "recover": "players without alpha",
    "matte": "a matte apart",
    "review": "review over a ground",
}


class Format(NamedTuple):
    """One way to write a clip.

    Attributes
    ----------
    depth, alpha_depth : int
        Bits of a colour component and of alpha that arrive in the file; no alpha is 0 bits.
    alpha_kinds : tuple
        What the format allows, the usual kind first.
    takes : tuple
        The choices of a delivery that mean something here, beside size, speed and rate.
    worst_alpha, mean_alpha, mean_colour : float
        Errors a proof allows, 0..1; colour where alpha is above one half.
    joins : bool
        Whether parts made apart can be put together without being encoded again.
    most_rate : int
        Frames a second the format can hold.
    leaves_solid : bool
        Whether alpha that is solid on all frames is left out of the file.
    merges_same : bool
        Whether frames that are all the same become a single still.
    bitrate : int or None
        Kilobits a second that a file is kept within where its delivery says none.
    card : bool
        Whether scenes for 3D go along with the pictures.
    """

    name: str
    title: str
    need: str
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
    takes: tuple[str, ...] = ()
    content: Content = "keyed"
    joins: bool = True
    most_rate: int = 240
    leaves_solid: bool = False
    merges_same: bool = False
    bitrate: int | None = None
    card: bool = False

    @property
    def sequence(self) -> bool:
        return self.container == "sequence"

    @property
    def delivered_suffix(self) -> str:
        """Suffix of the one file that is handed over."""
        return ".zip" if self.sequence or self.content == "pair" else self.suffix

    @property
    def lossless(self) -> bool:
        """Whether a file holds exactly what the format's depth can."""
        return self.worst_alpha == self.mean_alpha == self.mean_colour == _step(self.depth)

    @property
    def even(self) -> bool:
        """Whether both sides must be even, since chroma is subsampled."""
        return "420" in self.pixels


def _step(bits: int) -> float:
    """Half a code value of `bits`, with a hair for the float32 it is compared in."""
    return 0.5 / ((1 << bits) - 1) + 2e-6


def _lossless(name: str, title: str, need: str, suffix: str, container: str, codec: str, pixels: str, depth: int,
              kinds: tuple[AlphaKind, ...], note: str, **more: object) -> Format:  # fmt: skip
    step = _step(depth)
    return Format(name, title, need, suffix, container, codec, pixels, depth, depth, kinds, note, step, step, step,
                  **more)  # type: ignore[arg-type]  # fmt: skip


_BOTH: tuple[AlphaKind, ...] = ("straight", "premultiplied")
_STRAIGHT: tuple[AlphaKind, ...] = ("straight",)
_PREMULTIPLIED: tuple[AlphaKind, ...] = ("premultiplied",)
_FFV1 = {"level": "3", "slicecrc": "1", "slices": "4", "context": "0", "g": "1"}
_NUMBERS = ("first_number", "padding")
_H264 = {"preset": "medium", "g": "48", "x264-params": "cpu-independent=1"}
_NO_ALPHA = (1.0, 1.0)
_PRORES = (3 / 255, 0.5 / 255, 1.5 / 255)

_TABLE = [
    Format(
        "prores4444", "ProRes 4444", "edit", ".mov", "mov", "prores_ks", "yuva444p10le", 10, 16, _BOTH,
        "10-bit colour, 16-bit alpha (SMPTE RDD 36); large files that every editing program reads.",
        *_PRORES, {"profile": "4444", "alpha_bits": "16"}, ("sound",),
    ),
    Format(
        "prores4444-a8", "ProRes 4444, 8-bit alpha", "edit", ".mov", "mov", "prores_ks", "yuva444p10le", 10, 8, _BOTH,
        "10-bit colour, 8-bit alpha (SMPTE RDD 36); a little smaller, soft edges a little coarser.",
        *_PRORES, {"profile": "4444", "alpha_bits": "8"}, ("sound",),
    ),
    Format(
        "cineform", "CineForm RGBA", "edit", ".mov", "mov", "cfhd", "gbrap12le", 12, 12, _BOTH,
        "12 bits a channel (SMPTE ST 2073), fast to play; alpha is close, not exact.",
        8 / 255, 1 / 255, 1.5 / 255, {"quality": "film3+"}, ("sound",),
    ),
    _lossless(
        "png-mov", "PNG in MOV", "edit", ".mov", "mov", "png", "rgba", 8, _BOTH,
        "Lossless, 8 bits a channel; slow to play.",
        options={"pred": "sub", "compression_level": "1"}, takes=("sound",),
    ),
    _lossless(
        "rle-mov", "QuickTime RLE", "edit", ".mov", "mov", "qtrle", "argb", 8, _BOTH,
        "Lossless, 8 bits a channel; quick to write, very large.",
        options={"g": "1"}, takes=("sound",),
    ),
    _lossless(
        "avi", "AVI, uncompressed", "edit", ".avi", "avi", "rawvideo", "bgra", 8, _BOTH,
        "Nothing is compressed, 8 bits a channel: the largest file, for programs that read nothing else.",
    ),
    _lossless(
        "ffv1", "FFV1, 8 bits", "archive", ".mkv", "matroska", "ffv1", "bgra", 8, _BOTH,
        "Lossless and open (RFC 9043), 8 bits a channel.",
        options=_FFV1, takes=("sound",),
    ),
    _lossless(
        "ffv1-16", "FFV1, 16 bits", "archive", ".mkv", "matroska", "ffv1", "gbrap16le", 16, _BOTH,
        "Lossless and open (RFC 9043), 16 bits a channel; four times as slow.",
        options=_FFV1, takes=("sound",),
    ),
    _lossless(
        "png8", "PNG, 8 bits", "pictures", ".png", "sequence", "png", "rgba", 8, _STRAIGHT,
        "One lossless picture a frame; PNG is always straight.", takes=_NUMBERS,
    ),
    _lossless(
        "png16", "PNG, 16 bits", "pictures", ".png", "sequence", "png", "rgba64", 16, _STRAIGHT,
        "One lossless picture a frame, 16 bits a channel; PNG is always straight.", takes=_NUMBERS,
    ),
    _lossless(
        "tiff16", "TIFF, 16 bits", "pictures", ".tif", "sequence", "tiff", "rgba64", 16, _BOTH,
        "One lossless picture a frame; ExtraSamples says which kind of alpha it is.", takes=_NUMBERS,
    ),
    Format(
        "exr-half", "OpenEXR, half", "pictures", ".exr", "sequence", "exr", "half", 16, 16, _PREMULTIPLIED,
        "Scene-linear half floats, ZIP; OpenEXR is always premultiplied.",
        0.0003, 0.0003, 0.002, {}, _NUMBERS,
    ),
    Format(
        "exr-float", "OpenEXR, float", "pictures", ".exr", "sequence", "exr", "float", 32, 32, _PREMULTIPLIED,
        "Scene-linear 32-bit floats, ZIP; OpenEXR is always premultiplied.",
        2e-6, 2e-6, 2e-5, {}, _NUMBERS,
    ),
    Format(
        "vp9", "WebM VP9", "web", ".webm", "webm", "libvpx-vp9", "yuva420p", 8, 8, _STRAIGHT,
        "Small, plays with transparency in the browser.",
        40 / 255, 1 / 255, 4 / 255,
        {
            "auto-alt-ref": "0", "lag-in-frames": "0", "deadline": "good", "cpu-used": "5", "crf": "18", "b": "0",
            "row-mt": "1",
        },
        ("sound",),
    ),
    Format(
        "vp9-small", "WebM VP9, within a bit rate", "web", ".webm", "webm", "libvpx-vp9", "yuva420p", 8, 8, _STRAIGHT,
        "As fine as a bit rate has room for; single pixels of soft edges may be far off.",
        140 / 255, 1 / 255, 10 / 255,
        {"auto-alt-ref": "0", "lag-in-frames": "0", "deadline": "good", "cpu-used": "5", "b": "0", "row-mt": "1"},
        ("sound", "bitrate"), joins=False, bitrate=700,
    ),
    Format(
        "avif", "Animated AVIF", "web", ".avif", "avif", "avif", "rgba", 8, 8, _STRAIGHT,
        "An animated picture, smaller than WebP (AV1 Image File Format); alpha is lossless, colour is not.",
        _step(8), _step(8), 6 / 255, {"quality": "80"}, joins=False, most_rate=100,
    ),
    Format(
        "webp", "Animated WebP", "web", ".webp", "webp", "libwebp_anim", "bgra", 8, 8, _STRAIGHT,
        "An animated picture for pages and messages; alpha is lossless, colour is not.",
        _step(8), _step(8), 6 / 255, {"quality": "85", "compression_level": "3"}, ("loop",), joins=False, most_rate=100,
        leaves_solid=True, merges_same=True,
    ),
    _lossless(
        "apng", "APNG", "web", ".apng", "apng", "apng", "rgba", 8, _STRAIGHT,
        "An animated PNG, lossless (PNG third edition); large.",
        options={"pred": "mixed"}, takes=("loop",), joins=False,
    ),
    Format(
        "gif", "GIF", "web", ".gif", "gif", "gif", "pal8", 8, 1, _STRAIGHT,
        "Plays everywhere; each pixel is there or not, and few colours.",
        _step(8), _step(8), 14 / 255, {"gifflags": "0"}, ("loop", "edge", "cut", "blend_with", "palette"),
        joins=False, most_rate=50,
    ),
    _lossless(
        "card", "Card for 3D", "3d", ".png", "sequence", "png", "rgba", 8, _STRAIGHT,
        "A plane with the clip on it: USD (.usda, .usdz) of every picture, glTF (.glb) of one or a sheet of all.",
        takes=("metres", "still", "atlas"), card=True,
    ),
    Format(
        "flat-h264", "H.264 over a flat colour", "recover", ".mp4", "mp4", "libx264", "yuv420p", 8, 0, (),
        "For live streams and players that key a flat colour out again themselves.",
        *_NO_ALPHA, 6 / 255, _H264, ("sound", "colour", "sharpen", "bitrate"), "flat", joins=False,
    ),
    Format(
        "matte-prores", "ProRes 4444, matte", "matte", ".mov", "mov", "prores_ks", "yuv444p10le", 10, 0, (),
        "The matte as a grey video: black is clear, white is solid.",
        4 / 255, 1 / 255, 1.0, {"profile": "4444"}, (), "matte",
    ),
    Format(
        "matte-png16", "PNG, 16 bits, matte", "matte", ".png", "sequence", "png", "gray16", 16, 0, (),
        "The matte as one lossless grey picture a frame.",
        _step(16), _step(16), 1.0, {}, _NUMBERS, "matte",
    ),
    Format(
        "pair-prores", "ProRes 4444, fill and matte", "matte", ".mov", "mov", "prores_ks", "yuv444p10le", 10, 0, (),
        "Two videos in step: the colour, kept whole, and the matte in grey.",
        4 / 255, 1 / 255, 1.5 / 255, {"profile": "4444"}, (), "pair",
    ),
    Format(
        "over-h264", "H.264 over a ground", "review", ".mp4", "mp4", "libx264", "yuv420p", 8, 0, (),
        "An ordinary video of the result over a colour, a still or a clip.",
        *_NO_ALPHA, 6 / 255, _H264, ("sound", "ground", "bitrate"), "over", joins=False,
    ),
]  # fmt: skip

FORMATS = {f.name: f for f in _TABLE}

#: What parts of formats that cannot be joined are kept in until all are there.
BETWEEN = FORMATS["ffv1"]

ALPHA_WORDS = {
    "straight": "Straight: the colour is kept whole under the alpha. Most programs expect this.",
    "premultiplied": "Premultiplied: the colour is already multiplied by alpha. Say so where you bring it in.",
}
