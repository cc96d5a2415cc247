"""The main job against published standards; each source is named beside its test."""

import io
import json
import subprocess
from pathlib import Path

import av
import numpy as np
import OpenEXR
import pytest
import tifffile
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from deliveries import deliver
from plates import GREEN, SKIN, Plane, flat, key_plate, shot
from upholster.core.colour import Matrix, Range, encode_srgb, luma_weights, quantisation
from upholster.core.composite.over import over, premultiply, unpremultiply
from upholster.core.first_recipe import first_look
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey
from upholster.core.yuv import from_rgb, to_rgb
from upholster.media.decoder.reader import Reader, probe

unit = st.floats(0, 1, width=32)


@given(unit, unit, unit, unit, unit)
def test_over_is_porter_and_duffs(a: float, alpha: float, b: float, beta: float, ground: float) -> None:
    """Porter and Duff 1984, "Compositing Digital Images", section 4.3: with premultiplied colours
    c = c_A + (1 - alpha_A) c_B, and "over" is associative."""
    A, B = (np.float32(alpha), np.float32(a)), (np.float32(beta), np.float32(b))
    first = float(over(np.float32(b), B[0], np.float32(ground)))
    assert np.isclose(over(A[1], A[0], np.float32(first)), a * alpha + (1 - alpha) * first, atol=1e-5)
    joint = alpha + beta * (1 - alpha)
    both = a * alpha + b * beta * (1 - alpha)
    assert np.isclose(over(A[1], A[0], np.float32(first)), both + (1 - joint) * ground, atol=1e-5)


@given(unit, st.floats(0.0078125, 1, width=32))
def test_premultiplying_can_be_undone_where_something_covers(colour: float, alpha: float) -> None:
    """Porter and Duff 1984, section 3: (r, g, b, alpha) stands for the colour (r/alpha, g/alpha, b/alpha)."""
    rgb, cover = np.full((3, 1, 1), colour, np.float32), np.full((1, 1), alpha, np.float32)
    assert np.allclose(unpremultiply(premultiply(rgb, cover), cover), rgb, atol=1e-5)
    assert (unpremultiply(rgb, np.zeros((1, 1), np.float32)) == 0).all()


@pytest.mark.parametrize(
    ("matrix", "weights"),
    [
        ("bt601", (0.299, 0.587, 0.114)),  # Rec. ITU-R BT.601-7, 2.5.1
        ("bt709", (0.2126, 0.7152, 0.0722)),  # Rec. ITU-R BT.709-6, item 3.2
        ("bt2020", (0.2627, 0.6780, 0.0593)),  # Rec. ITU-R BT.2020-2, table 4
    ],
)
def test_luma_constants_are_the_published_ones(matrix: Matrix, weights: tuple[float, ...]) -> None:
    assert luma_weights(matrix) == pytest.approx(weights, abs=1e-12)


def test_ranges_are_the_published_ones() -> None:
    """BT.709-6 item 4.6: black 16 / 64, peak 235 / 940, achromatic 128 / 512, chroma 16..240 / 64..960."""
    for depth, (black, peak, grey, top) in {8: (16, 235, 128, 240), 10: (64, 940, 512, 960)}.items():
        q = quantisation(depth, "limited")
        assert (q.luma_offset, q.luma_offset + q.luma_scale) == (black, peak)
        assert (q.chroma_offset, q.chroma_offset + q.chroma_scale / 2) == (grey, top)


def test_75_percent_bars_have_their_published_codes() -> None:
    """Colour bars 75/0/75/0 in BT.709, limited range, 8 bits (from memory of SMPTE RP 219; within a code)."""
    bars = {(0.75, 0.75, 0): (168, 44, 136), (0, 0.75, 0): (134, 63, 52), (0.75, 0, 0): (51, 109, 212)}
    for rgb, codes in bars.items():
        found = from_rgb(flat(rgb, 2, 2), depth=8, matrix="bt709", code_range="limited")  # type: ignore[arg-type]
        assert [abs(int(p[0, 0]) - c) <= 1 for p, c in zip(found, codes, strict=True)] == [True] * 3


@pytest.mark.parametrize("depth", [8, 10, 12])
@pytest.mark.parametrize("code_range", ["limited", "full"])
@pytest.mark.parametrize("matrix", ["bt601", "bt709", "bt2020"])
def test_component_video_comes_back_within_rounding(matrix: Matrix, code_range: Range, depth: int) -> None:
    rgb = np.random.default_rng(depth).uniform(0, 1, (3, 8, 16)).astype(np.float32)
    planes = from_rgb(rgb, depth=depth, matrix=matrix, code_range=code_range)
    back = to_rgb(*planes, depth=depth, matrix=matrix, code_range=code_range)
    assert np.abs(back - rgb).max() < 2.2 / 2**depth


def test_srgb_curve() -> None:
    """IEC 61966-2-1: linear below 0.0031308; 0.5 encodes to 0.7354 (worked from the formula)."""
    assert encode_srgb(np.array([0.0, 0.0031308, 0.5, 1.0], np.float32)) == pytest.approx(
        [0, 0.04045, 0.73536, 1], abs=1e-4
    )


def one_frame(name: str, folder: Path, rgb: Plane, alpha: Plane) -> Path:
    return deliver([(rgb, alpha)], folder, name).files[0]


def test_png_is_straight(tmp_path: Path) -> None:
    """W3C PNG (third edition) 13.16 and 4.4: PNG uses "unassociated" alpha; read here by Pillow."""
    path = one_frame("png8", tmp_path, flat((1.0, 0.5, 0.0), 4, 4), np.full((4, 4), 0.25, np.float32))
    assert Image.open(path).getpixel((1, 1)) == (255, 128, 0, 64)


def test_tiff_extrasamples_are_obeyed(tmp_path: Path) -> None:
    """TIFF 6.0, page 31: ExtraSamples 1 is associated (premultiplied) alpha, 2 unassociated."""
    for value, stored in ((1, 16384), (2, 65535)):
        pixels = np.full((4, 4, 4), (stored, stored // 2, 0, 16384), np.uint16)
        path = tmp_path / f"{value}.tif"
        tifffile.imwrite(path, pixels, photometric="rgb", extrasamples=[value])
        with Reader([path]) as reader:
            frame = reader.frame(0)
            assert reader.facts.alpha_kind == {1: "premultiplied", 2: "straight"}[value]
        assert frame.alpha is not None and frame.alpha[0, 0] == pytest.approx(0.25, abs=1e-4)
        assert frame.rgb[:, 0, 0] == pytest.approx((1.0, 0.5, 0.0), abs=1e-4)


def test_openexr_is_premultiplied_and_linear(tmp_path: Path) -> None:
    """ "Technical Introduction to OpenEXR": colour is scene-linear, and premultiplied by alpha."""
    alpha = np.full((4, 4), 0.5, np.float32)
    channels = {c: np.full((4, 4), v, np.float32) * alpha for c, v in (("R", 0.5), ("G", 1.0), ("B", 0.0))}
    OpenEXR.File({"type": OpenEXR.scanlineimage}, {**channels, "A": alpha}).write(str(tmp_path / "a.exr"))
    with Reader([tmp_path / "a.exr"]) as reader:
        frame = reader.frame(0)
        assert reader.facts.alpha_kind == "premultiplied" and reader.facts.colour.transfer == "linear"
    assert frame.rgb[:, 0, 0] == pytest.approx((0.73536, 1.0, 0.0), abs=1e-3)


@pytest.mark.parametrize("code_range", ["limited", "full"])
@pytest.mark.parametrize("matrix", ["bt601", "bt709", "bt2020", "untagged"])
@pytest.mark.parametrize("pixels", ["yuv420p", "yuv422p10le", "yuv444p"])
def test_patches_are_read_back_under_every_tag(tmp_path: Path, matrix: str, code_range: Range, pixels: str) -> None:
    """Code points of ITU-T H.273 tables 4 and 8; an untagged picture of 720 lines is BT.709 (common practice)."""
    used: Matrix = "bt709" if matrix == "untagged" else matrix  # type: ignore[assignment]
    depth = 10 if "10" in pixels else 8
    patches = np.random.default_rng(5).uniform(0.05, 0.95, (3, 3, 4)).astype(np.float32)
    rgb = np.repeat(np.repeat(patches, 240, 1), 320, 2)
    planes = from_rgb(rgb, depth=depth, matrix=used, code_range=code_range)
    path = tmp_path / "patches.mkv"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=24, options={"level": "3"})
        stream.width, stream.height, stream.pix_fmt = 1280, 720, pixels
        stream.codec_context.color_range = 1 if code_range == "limited" else 2
        if matrix != "untagged":
            stream.codec_context.colorspace = {"bt601": 6, "bt709": 1, "bt2020": 9}[matrix]
        frame = av.VideoFrame(1280, 720, pixels)
        for target, plane in zip(frame.planes, planes, strict=True):
            small = plane[:: 720 // target.height, :: 1280 // target.width].astype("u1" if depth == 8 else "<u2")
            rows = np.frombuffer(target, small.dtype).reshape(target.height, -1)
            rows[:, : target.width] = small
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    with Reader([path]) as reader:
        assert reader.facts.depth == depth
        assert reader.facts.colour.matrix == used and reader.facts.colour.range == code_range
        assert reader.facts.colour.tagged == (matrix != "untagged")
        found = reader.frame(0).rgb[:, 120::240, 160::320]
    assert np.abs(found - patches).max() < 2.2 / 2**depth


def test_the_key_agrees_with_triangulation() -> None:
    """Smith and Blinn 1996, "Blue Screen Matting", theorem 4: the same subject before two screens gives
    alpha exactly, ``1 - sum((C1-C2)(B1-B2)) / sum((B1-B2)^2)``; the key sees one screen only."""
    one, two = flat(GREEN), flat((0.5, 0.1, 0.5))
    plates = [shot(GREEN, SKIN, frame=n, noise=0.002)[0] for n in range(6)]
    _, alpha = shot(GREEN, SKIN, frame=3, noise=0)
    subject = flat(SKIN)
    seen = [subject * alpha + ground * (1 - alpha) for ground in (one, two)]
    difference = one - two
    reference = 1 - ((seen[0] - seen[1]) * difference).sum(0) / (difference**2).sum(0)
    assert np.abs(reference - alpha).max() < 1e-5
    taken = survey(dict(enumerate(plates)))
    recipe = first_look(taken).recipe
    keyed = key_plate(plates[3], recipe, 3, measure_screen(taken, recipe.screen))
    assert np.mean((keyed.alpha - reference) ** 2) < 2e-4


@pytest.mark.parametrize(("name", "form"), [("prores4444", "yuva444p12le"), ("ffv1", "bgra"), ("ffv1-16", "gbrap16le")])
def test_files_are_read_by_debians_ffmpeg(tmp_path: Path, name: str, form: str) -> None:
    """Not the library that wrote them: Debian's own build of FFmpeg (SMPTE RDD 36; RFC 9043 says both hold alpha)."""
    plate, alpha = shot()
    path = one_frame(name, tmp_path, plate, alpha)
    asked = ["ffprobe", "-v", "error", "-show_streams", "-of", "json", str(path)]
    stream = json.loads(subprocess.run(asked, capture_output=True, check=True).stdout)["streams"][0]
    assert stream["pix_fmt"] == form
    raw = subprocess.run(
        [
            "ffmpeg",
            "-v",
            "error",
            "-i",
            str(path),
            "-vf",
            "alphaextract",
            "-pix_fmt",
            "gray16le",
            "-f",
            "rawvideo",
            "-",
        ],
        capture_output=True,
        check=True,
    ).stdout
    found = np.frombuffer(raw, "<u2").reshape(alpha.shape) / 65535
    assert np.abs(found - alpha).max() < (1.5 / 255 if name != "ffv1-16" else 2e-5)


@pytest.mark.parametrize(
    ("name", "codec", "tag"),
    [
        ("prores4444", "prores", "ap4h"),
        ("prores4444-a8", "prores", "ap4h"),
        ("matte-prores", "prores", "ap4h"),
        ("cineform", "cfhd", "CFHD"),
        ("png-mov", "png", "png "),
        ("rle-mov", "qtrle", "rle "),
        ("flat-h264", "h264", "avc1"),
        ("over-h264", "h264", "avc1"),
    ],
)
def test_files_carry_the_sample_entry_of_their_codec(tmp_path: Path, name: str, codec: str, tag: str) -> None:
    """ISO base media and QuickTime files name the codec of a track in four letters; a wrong name opens as another
    codec, without alpha. Names: QuickTime File Format, "Video Sample Description" and the MP4RA registry."""
    path = one_frame(name, tmp_path, *shot())
    asked = ["ffprobe", "-v", "error", "-show_entries", "stream=codec_name,codec_tag_string", "-of", "json", str(path)]
    stream = json.loads(subprocess.run(asked, capture_output=True, check=True).stdout)["streams"][0]
    assert (stream["codec_name"], stream["codec_tag_string"]) == (codec, tag)


def test_premultiplied_files_hold_colour_times_alpha(tmp_path: Path) -> None:
    rgb, alpha = flat((0.8, 0.4, 0.2), 16, 16), np.full((16, 16), 0.5, np.float32)
    for name in ("prores4444", "ffv1"):
        path = deliver([(rgb, alpha)], tmp_path / name, name, alpha="premultiplied").files[0]
        with Reader([path]) as reader:
            assert reader.frame(0).rgb[:, 8, 8] == pytest.approx((0.4, 0.2, 0.1), abs=0.006)


@pytest.mark.parametrize("turn", [90, 180, 270])
def test_turned_footage_is_shown_upright_as_ffmpeg_shows_it(tmp_path: Path, turn: int) -> None:
    """Display matrix of ISO/IEC 14496-12 8.5.2; Debian's FFmpeg turns pictures by it, and is the reference."""
    picture = np.zeros((64, 96, 3), np.uint8)
    picture[:32, :48] = (250, 20, 20)
    path = tmp_path / "turned.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=24)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv444p"
        stream.set_display_rotation(turn)
        container.mux([*stream.encode(av.VideoFrame.from_ndarray(picture, "rgb24")), *stream.encode(None)])
    shown = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", path, "-f", "image2pipe", "-c:v", "png", "-"],
        capture_output=True,
        check=True,
    ).stdout
    expected = np.asarray(Image.open(io.BytesIO(shown)).convert("RGB")) / 255
    assert probe([path]).width == expected.shape[1]
    with Reader([path]) as reader:
        found = reader.frame(0).rgb.transpose(1, 2, 0)
    assert found.shape == expected.shape and np.abs(found - expected).mean() < 0.03
