"""Delivered files opened by readers that had no part in writing them; each rule's source is named beside its test."""

import base64
import subprocess
import zlib
from pathlib import Path

import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image, ImageSequence
from playwright.sync_api import Browser

from canvases import AS_TEXT, of_text
from deliveries import deliver
from plates import SKIN, Plane, flat, shot
from upholster.core.colour import decode_srgb
from upholster.media.encoder.pair import pair_files
from upholster.media.errors import MediaError

ALPHA = [shot(frame=n, soft=1.5)[1] for n in range(3)]
FRAMES = [(flat(SKIN), alpha) for alpha in ALPHA]
LOUD = (0.95, 0.05, 0.9)


def codes(plane: Plane, top: int = 255) -> np.ndarray:
    return np.rint(plane * top).astype(int)


@pytest.mark.parametrize(("kind", "value"), [("straight", 2), ("premultiplied", 1)])
def test_tiff_says_which_alpha_it_holds(tmp_path: Path, kind: str, value: int) -> None:
    """TIFF 6.0, page 31: ExtraSamples 1 is associated alpha, 2 unassociated; read by tifffile and by Pillow."""
    path = deliver(FRAMES, tmp_path, "tiff16", alpha=kind).files[1]
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        assert page.tags["ExtraSamples"].value in (value, (value,))
        assert page.tags["PhotometricInterpretation"].value == 2
        pixels = page.asarray()
    assert np.abs(pixels[..., 3].astype(int) - codes(ALPHA[1], 65535)).max() <= 1
    colour = flat(SKIN) * (ALPHA[1] if kind == "premultiplied" else 1)
    assert np.abs(pixels[..., :3].transpose(2, 0, 1).astype(int) - codes(colour, 65535)).max() <= 1
    with Image.open(path) as other:
        assert other.size == (320, 180) and other.tag_v2[338] == (value,)  # type: ignore[attr-defined]


@pytest.mark.parametrize(("name", "dtype"), [("exr-half", np.float16), ("exr-float", np.float32)])
def test_openexr_is_written_premultiplied_and_linear(tmp_path: Path, name: str, dtype: type) -> None:
    """ "Technical Introduction to OpenEXR": colour is scene-linear and premultiplied by alpha."""
    path = deliver(FRAMES, tmp_path, name).files[2]
    with OpenEXR.File(str(path), separate_channels=True) as file:
        channels = {n: c.pixels for n, c in file.channels().items()}
        assert file.header()["compression"] == OpenEXR.ZIP_COMPRESSION
    assert set(channels) == set("RGBA") and channels["A"].dtype == dtype
    light = decode_srgb(flat(SKIN)) * ALPHA[2]
    assert np.abs(np.stack([channels[c] for c in "RGB"]) - light).max() < 1e-3
    assert np.abs(channels["A"] - ALPHA[2]).max() < 1e-3


@pytest.mark.parametrize(("name", "top"), [("png8", 255), ("png16", 65535)])
def test_png_holds_every_code_value(tmp_path: Path, name: str, top: int) -> None:
    """W3C PNG third edition, 13.16: alpha is unassociated. 8 bits read by Pillow, 16 by Debian's FFmpeg."""
    path = deliver(FRAMES, tmp_path, name).files[0]
    if top == 255:
        found = np.asarray(Image.open(path)).astype(int)
    else:
        asked = ["ffmpeg", "-v", "error", "-i", str(path), "-pix_fmt", "rgba64le", "-f", "rawvideo", "-"]
        raw = subprocess.run(asked, capture_output=True, check=True).stdout
        found = np.frombuffer(raw, "<u2").reshape(180, 320, 4).astype(int)
    assert np.abs(found[..., 3] - codes(ALPHA[0], top)).max() <= 1
    assert np.abs(found[..., :3].transpose(2, 0, 1) - codes(flat(SKIN), top)).max() <= 1


@pytest.mark.parametrize("name", ["apng", "webp"])
def test_animated_pictures_are_read_by_pillow(tmp_path: Path, name: str) -> None:
    """PNG third edition, 4.9 (APNG: acTL, num_plays) and RFC 9649, 2.7 (ANIM): frames, loops, alpha."""
    path = deliver(FRAMES, tmp_path, name, loop=4).files[0]
    with Image.open(path) as film:
        assert film.n_frames == 3 and film.info["loop"] == 4
        for picture, alpha in zip(ImageSequence.Iterator(film), ALPHA, strict=True):
            found = np.asarray(picture.convert("RGBA")).astype(int)
            assert np.abs(found[..., 3] - codes(alpha)).max() <= 1
            off = np.abs(found[..., :3].transpose(2, 0, 1) - codes(flat(SKIN)))[:, alpha > 0.5]
            assert off.max() <= (0 if name == "apng" else 12)


@pytest.mark.parametrize(("loop", "said"), [(0, 0), (1, None), (5, 4)])
def test_gif_transparency_and_repeats(tmp_path: Path, loop: int, said: int | None) -> None:
    """GIF89a, section 23 (one transparent index, no half tones) and appendix "Netscape 2.0" as browsers read it:
    nought is for ever, otherwise the number of repeats after the first."""
    path = deliver(FRAMES, tmp_path, "gif", loop=loop, blend_with="#ffffff").files[0]
    assert path.read_bytes()[:6] == b"GIF89a"
    with Image.open(path) as film:
        assert film.info.get("loop") == said and film.n_frames == 3
        for picture, alpha in zip(ImageSequence.Iterator(film), ALPHA, strict=True):
            found = np.asarray(picture.convert("RGBA"))
            assert np.array_equal(found[..., 3] > 0, alpha >= 0.5) and set(np.unique(found[..., 3])) == {0, 255}


@pytest.mark.parametrize("name", ["png-mov", "rle-mov", "avi", "ffv1", "ffv1-16", "cineform", "prores4444-a8"])
def test_movies_are_read_by_debians_ffmpeg(tmp_path: Path, name: str) -> None:
    """Not the library that wrote them: alpha and colour as Debian's own build of FFmpeg decodes them."""
    path = deliver(FRAMES, tmp_path, name).files[0]
    asked = ["ffmpeg", "-v", "error", "-i", str(path), "-pix_fmt", "rgba", "-f", "rawvideo", "-"]
    raw = subprocess.run(asked, capture_output=True, check=True).stdout
    found = np.frombuffer(raw, np.uint8).reshape(3, 180, 320, 4).astype(int)
    exact = name in ("png-mov", "rle-mov", "avi", "ffv1")
    for picture, alpha in zip(found, ALPHA, strict=True):
        assert np.abs(picture[..., 3] - codes(alpha)).max() <= (0 if exact else 4)
        off = np.abs(picture[..., :3].transpose(2, 0, 1) - codes(flat(SKIN)))[:, alpha > 0.5]
        assert off.max() <= (0 if exact else 5)


def test_fill_and_matte_lie_over_each_other(tmp_path: Path) -> None:
    """Porter and Duff 1984: fill times matte over a ground is the subject over it; both read by Debian's FFmpeg."""
    made = deliver(FRAMES, tmp_path, "pair-prores")
    pictures = []
    for path in pair_files(tmp_path / "pair", made.planned.form):
        asked = ["ffmpeg", "-v", "error", "-i", str(path), "-pix_fmt", "rgb48le", "-f", "rawvideo", "-"]
        raw = subprocess.run(asked, capture_output=True, check=True).stdout
        pictures.append(np.frombuffer(raw, "<u2").reshape(3, 180, 320, 3).transpose(0, 3, 1, 2) / 65535)
    fill, matte = pictures
    loud = flat(LOUD)
    for k, alpha in enumerate(ALPHA):
        laid = fill[k] * matte[k] + loud * (1 - matte[k])
        assert np.abs(laid - (flat(SKIN) * alpha + loud * (1 - alpha))).max() < 0.02


def test_a_flat_colour_is_flat_and_keys_out_with_the_filters_of_ffmpeg(tmp_path: Path) -> None:
    """A plain key at the other end: FFmpeg's `chromakey` filter, Debian's build, gets the matte back."""
    path = deliver(FRAMES, tmp_path, "flat-h264", colour="#1ab833").files[0]
    keyed = "format=yuva420p,chromakey=0x1ab833:0.08:0.12,alphaextract"
    asked = ["ffmpeg", "-v", "error", "-i", str(path), "-vf", keyed, "-pix_fmt", "gray", "-f", "rawvideo", "-"]
    raw = subprocess.run(asked, capture_output=True, check=True).stdout
    found = np.frombuffer(raw, np.uint8).reshape(3, 180, 320) / 255
    for picture, alpha in zip(found, ALPHA, strict=True):
        assert picture[alpha == 0].max() < 0.02 and picture[alpha == 1].min() > 0.98
        assert np.abs(picture - alpha).mean() < 0.02


@pytest.mark.parametrize("name", ["prores4444", "png-mov", "avi", "vp9", "avif", "webp", "apng"])
def test_a_file_brought_back_over_a_loud_colour_has_no_box_and_no_rim(tmp_path: Path, name: str) -> None:
    """Common practice, no source. Straight and premultiplied files alike, once they are taken for what they are."""
    from upholster.media.decoder.reader import Reader, probe
    from upholster.studio.footage.inspect import interpretation
    from upholster.studio.making.keying import Footage

    made = deliver(FRAMES, tmp_path / "s", name)
    kinds = [made]
    if "premultiplied" in made.planned.form.alpha_kinds:
        kinds.append(deliver(FRAMES, tmp_path / "p", name, alpha="premultiplied"))
    loud = flat(LOUD)
    for one in kinds:
        facts = interpretation(Footage(tuple(one.files), probe(one.files)))
        assert facts.alpha_kind == one.planned.delivery.alpha
        with Reader(one.files, facts) as reader:
            back = reader.frame(1)
        assert back.alpha is not None
        seen = back.rgb * back.alpha + loud * (1 - back.alpha)
        assert np.abs(seen - loud)[:, ALPHA[1] < 0.002].max() < 0.02
        assert np.abs(seen - (flat(SKIN) * ALPHA[1] + loud * (1 - ALPHA[1]))).mean() < 0.004


def chunks(png: bytes) -> dict[str, bytes]:
    """Chunks before the first picture data (W3C PNG third edition, 5.3: length, type, data, CRC)."""
    found, at = {}, 8
    while (kind := png[at + 4 : at + 8]) != b"IDAT":
        length = int.from_bytes(png[at : at + 4])
        found[kind.decode()] = png[at + 8 : at + 8 + length]
        assert zlib.crc32(png[at + 4 : at + 8 + length]) == int.from_bytes(png[at + 8 + length : at + 12 + length])
        at += 12 + length
    return found


@pytest.mark.parametrize("name", ["apng", "png-mov", "png8", "png16"])
def test_every_png_says_that_it_is_srgb_and_nothing_else(tmp_path: Path, name: str) -> None:
    """W3C PNG third edition, 4.3: cICP takes precedence over sRGB, and that over gAMA and cHRM (4.3, table 1).

    A cICP of transfer 1 (BT.709) made Chromium show the pictures darker than they are.
    """
    data = deliver(FRAMES, tmp_path, name).files[0].read_bytes()
    said = chunks(data[data.index(b"\x89PNG\r\n") :])
    assert "sRGB" in said and "iCCP" not in said
    assert said.get("cICP", b"\x01\x0d\x00\x01") == b"\x01\x0d\x00\x01"
    assert said.get("gAMA", (45455).to_bytes(4)) == (45455).to_bytes(4)


@pytest.mark.parametrize(("name", "frames"), [("ffv1", 3), ("ffv1", 5), ("ffv1-16", 4), ("vp9", 4), ("gif", 5)])
def test_short_clips_keep_their_rate_and_say_how_long_a_frame_is(tmp_path: Path, name: str, frames: int) -> None:
    """RFC 9559, 5.1.4.1.13: DefaultDuration is what a reader without an index goes by; read by Debian's ffprobe."""
    made = deliver([FRAMES[0]] * frames, tmp_path, name, cuts=(2,) if name != "gif" else ())
    assert made.proof.passed, made.proof.reason
    asked = ["ffprobe", "-v", "error", "-select_streams", "v", "-show_entries"]
    asked += ["packet=duration_time:stream=avg_frame_rate", "-of", "csv", str(made.files[0])]
    told = subprocess.run(asked, capture_output=True, text=True, check=True).stdout.split()
    assert all(0.03 < float(line.split(",")[1]) < 0.06 for line in told if line.startswith("packet"))
    assert name == "gif" or "stream,24/1" in told


def test_animated_avif_has_its_alpha_for_ffmpeg_and_for_chromium(tmp_path: Path, browser: Browser) -> None:
    """AV1 Image File Format 1.1.0, 4.1: alpha is an auxiliary track. Read by Debian's FFmpeg, and by Chromium."""
    path = deliver(FRAMES, tmp_path, "avif", rate=12).files[0]
    asked = ["ffmpeg", "-v", "error", "-i", str(path), "-map", "0:1", "-pix_fmt", "gray", "-f", "rawvideo", "-"]
    raw = subprocess.run(asked, capture_output=True, check=True).stdout
    found = np.frombuffer(raw, np.uint8).reshape(3, 180, 320).astype(int)
    assert np.abs(found - np.stack([codes(alpha) for alpha in ALPHA])).max() <= 1
    look = """async (file) => {
        const bytes = Uint8Array.from(atob(file), (c) => c.charCodeAt(0));
        const decoder = new ImageDecoder({ data: bytes, type: 'image/avif' });
        await decoder.tracks.ready;
        const canvas = new OffscreenCanvas(320, 180).getContext('2d', { willReadFrequently: true });
        const told = [];
        for (let n = 0; n < decoder.tracks.selectedTrack.frameCount; n++) {
            const { image } = await decoder.decode({ frameIndex: n });
            canvas.clearRect(0, 0, 320, 180);
            canvas.drawImage(image, 0, 0);
            told.push([image.duration, (AS_TEXT)(canvas)]);
        }
        return told;
    }""".replace("AS_TEXT", AS_TEXT)
    page = browser.new_page()
    # Decoders are for pages of one's own machine or with a certificate.
    page.route("http://localhost/", lambda route: route.fulfill(body="<!doctype html>", content_type="text/html"))
    page.goto("http://localhost/")
    told = page.evaluate(look, base64.b64encode(path.read_bytes()).decode())
    page.close()
    assert [duration for duration, _ in told] == pytest.approx([83_000, 84_000, 83_000], abs=1000)
    for (_, pixels), alpha in zip(told, ALPHA, strict=True):
        shown = of_text(pixels, 320, 180).astype(int)
        assert np.abs(shown[..., 3] - codes(alpha)).max() <= 1
        assert np.abs(shown[..., :3].transpose(2, 0, 1) - codes(flat(SKIN)))[:, alpha > 0.5].max() <= 12


def test_webm_within_a_bit_rate_keeps_to_it_and_is_as_fine_as_it_can_be(tmp_path: Path) -> None:
    """Sizes are the file system's; the alpha is read by Debian's FFmpeg through libvpx."""
    rng = np.random.default_rng(5)
    speckled = [(np.clip(flat(SKIN) + rng.normal(0, 0.02, (3, 180, 320)), 0, 1).astype(np.float32), shot(frame=n)[1])
                for n in range(24)]  # fmt: skip
    sizes = {}
    for rate in (120, 400, 20_000):
        made = deliver(speckled, tmp_path / str(rate), "vp9-small", cuts=[13], bitrate=rate)
        sizes[rate] = made.files[0].stat().st_size * 8 / 1000
        assert made.proof.passed and sizes[rate] <= rate
        asked = ["ffmpeg", "-v", "error", "-c:v", "libvpx-vp9", "-i", str(made.files[0]), "-vf", "alphaextract",
                 "-pix_fmt", "gray", "-f", "rawvideo", "-"]  # fmt: skip
        raw = subprocess.run(asked, capture_output=True, check=True).stdout
        found = np.frombuffer(raw, np.uint8).reshape(24, 180, 320).astype(int)
        assert np.abs(found[20] - codes(speckled[20][1])).mean() < 1
    assert sizes[120] > 40 and sizes[400] > 150 and sizes[20_000] > sizes[400]
    with pytest.raises(MediaError, match="does not fit into 50 kilobits a second at 320x180: it takes"):
        noise = [(rng.random((3, 180, 320), np.float32), a) for _, a in speckled]
        deliver(noise, tmp_path / "none", "vp9-small", bitrate=50)
    assert not list((tmp_path / "none").glob("clip*"))
