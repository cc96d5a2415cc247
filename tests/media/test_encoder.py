"""What encoders are handed, and putting files together."""

from fractions import Fraction
from pathlib import Path
from zipfile import ZipFile

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from deliveries import deliver
from plates import SKIN, disc, flat, shot
from upholster.core.colour import decode_srgb, encode_srgb
from upholster.core.composite.over import over, unmixed
from upholster.core.delivery.sharpen import sharpen
from upholster.media.decoder.animation import kind_of
from upholster.media.decoder.code_values import to_planes
from upholster.media.decoder.reader import Reader, probe
from upholster.media.delivery import Delivery, as_hex, hex_colour
from upholster.media.encoder.join import zip_files
from upholster.media.encoder.pixels import FILLERS, palette_of, with_palette
from upholster.media.encoder.transcode import codec_options, mux_options
from upholster.media.errors import MediaError
from upholster.media.formats import FORMATS, NEEDS

share = st.floats(0, 1, width=32)


@pytest.mark.parametrize("name", FILLERS)
@pytest.mark.parametrize("size", [(6, 4), (33, 17), (320, 180)])
def test_frames_hold_what_was_put_in(name: str, size: tuple[int, int]) -> None:
    """Every pixel format, odd widths with padded rows included; colour within its own rounding."""
    width, height = size
    rgb, alpha = flat(SKIN, width, height), np.linspace(0, 1, width * height, dtype=np.float32).reshape(height, width)
    planes = to_planes(FILLERS[name](rgb, alpha))
    assert planes.arrays[0].shape == (height, width)
    if planes.alpha is not None:
        top = (1 << planes.depth) - 1
        assert np.abs(planes.alpha / top - alpha).max() <= 0.5 / top + 1e-6
    if planes.model == "rgb":
        found = np.stack(planes.arrays) / ((1 << planes.depth) - 1)
        assert np.abs(found - rgb).max() <= 0.5 / ((1 << planes.depth) - 1) + 1e-6


def test_subsampled_chroma_lies_at_the_left() -> None:
    """ITU-T H.264, figure E-1: chroma is co-sited with the left luma sample, so a step between columns 3 and 4
    leaves the chroma of columns 2 and 3 a quarter mixed, and that of column 4 on its own."""
    rgb = flat((0.5, 0.5, 0.5), 8, 4)
    rgb[:, :, 4:] = flat((0.9, 0.2, 0.2), 4, 4)
    cr = to_planes(FILLERS["yuv420p"](rgb, np.ones((4, 8), np.float32))).arrays[2][0].astype(int)
    grey, red = cr[0], cr[3]
    assert abs(cr[1] - grey) <= 1 and abs(cr[2] - (grey + 3 * (red - grey) / 4)) <= 2


def test_a_palette_keeps_its_transparent_entry_apart() -> None:
    """GIF89a, section 23: one index is transparent, and no visible pixel may use it."""
    rgb = np.random.default_rng(2).random((3, 24, 32), np.float32)
    alpha = (disc(32, 24, x=16, y=12, radius=8) > 0.5).astype(np.float32)
    palette = palette_of(np.rint(rgb.reshape(3, -1).T * 255).astype(np.uint8), 15)
    frame = with_palette(palette, 15)(rgb, alpha)
    rows = np.frombuffer(frame.planes[0], np.uint8).reshape(24, frame.planes[0].line_size)[:, :32]
    assert ((rows == 15) == (alpha == 0)).all()
    entries = np.frombuffer(frame.planes[1], np.uint8).reshape(256, 4)
    assert np.flatnonzero(entries[:, 3] == 0).tolist() == [15]


@pytest.mark.parametrize("colours", [4, 16, 256])
def test_gif_uses_no_more_colours_than_asked(tmp_path: Path, colours: int) -> None:
    rgb = np.random.default_rng(3).random((3, 90, 160), np.float32)
    path = deliver([(rgb, np.ones((90, 160), np.float32))], tmp_path, "gif", palette=colours).files[0]
    pixels = np.asarray(Image.open(path).convert("RGB")).reshape(-1, 3)
    assert len(np.unique(pixels, axis=0)) <= colours - 1


def test_what_a_delivery_asks_of_encoder_and_container() -> None:
    h264 = FORMATS["flat-h264"]
    assert codec_options(h264, Delivery(format="flat-h264"))["crf"]
    capped = codec_options(h264, Delivery(format="flat-h264", bitrate=700))
    assert capped["maxrate"] == "700k" and "crf" not in capped
    assert codec_options(FORMATS["ffv1"], Delivery(format="ffv1")) == {}
    assert mux_options(h264, Delivery(format="flat-h264")) == {"movflags": "+faststart"}
    for loop, told in ((0, "0"), (1, "-1"), (2, "1")):
        assert mux_options(FORMATS["gif"], Delivery(format="gif", loop=loop)) == {"loop": told}


def test_an_mp4_begins_with_its_index(tmp_path: Path) -> None:
    """ISO/IEC 14496-12: a player may start before the whole file is there if `moov` comes before `mdat`."""
    path = deliver([(flat(SKIN), shot()[1])] * 3, tmp_path, "over-h264").files[0]
    data = path.read_bytes()
    assert data.index(b"moov") < data.index(b"mdat")


@pytest.mark.parametrize("limit", [120, 700])
def test_a_limit_on_kilobits_is_kept(tmp_path: Path, limit: int) -> None:
    noisy = [np.random.default_rng(n).random((3, 180, 320), np.float32) for n in range(48)]
    frames = [(rgb, shot(frame=n)[1]) for n, rgb in enumerate(noisy)]
    path = deliver(frames, tmp_path, "flat-h264", bitrate=limit).files[0]
    assert path.stat().st_size * 8 / 2 < limit * 1000 * 1.25


def test_files_are_zipped_under_their_names_and_whole(tmp_path: Path) -> None:
    for name in ("a", "b"):
        (tmp_path / name).write_text(name * 9)
    zip_files([(tmp_path / "a", "x/one"), (tmp_path / "b", "x/two")], tmp_path / "z.zip")
    with ZipFile(tmp_path / "z.zip") as archive:
        assert archive.namelist() == ["x/one", "x/two"] and archive.read("x/two") == b"b" * 9
    with pytest.raises(FileNotFoundError):
        zip_files([(tmp_path / "gone", "gone")], tmp_path / "no.zip")
    assert not list(tmp_path.glob("no.zip*"))


@given(share, st.floats(0.0625, 1, width=32), share)
@settings(deadline=None)
def test_unmixing_undoes_laying_over_any_colour(colour: float, alpha: float, ground: float) -> None:
    """Porter and Duff 1984: C = a F + (1 - a) M, solved for F."""
    one, cover = np.full((3, 1, 1), colour, np.float32), np.full((1, 1), alpha, np.float32)
    behind = np.full((3, 1, 1), ground, np.float32)
    assert unmixed(over(one, cover, behind), cover, (ground,) * 3) == pytest.approx(one, abs=1e-4)


@given(share)
def test_the_curve_of_srgb_is_undone(code: float) -> None:
    """IEC 61966-2-1: encoding the decoded value gives it back; 0.5 is 0.21404 in light (colour-science's value)."""
    value = np.array([code], np.float32)
    assert encode_srgb(decode_srgb(value)) == pytest.approx(value, abs=2e-6)
    assert decode_srgb(np.array([0.5], np.float32)) == pytest.approx(0.21404, abs=1e-5)


@given(st.integers(0, 0xFFFFFF))
def test_colours_in_hex_come_back(code: int) -> None:
    given_ = f"#{code:06x}"
    r, g, b = (float(c) for c in hex_colour(given_).ravel())
    assert as_hex((r, g, b)) == given_


def test_sharpening_strengthens_edges_and_nothing_flat() -> None:
    edge = flat((0.4, 0.4, 0.4))
    edge[:, :, 160:] = 0.6
    sharp = sharpen(edge, 0.5)
    assert sharp[0, 90, 159] < 0.37 and sharp[0, 90, 160] > 0.63
    assert np.allclose(sharp[:, :, :150], 0.4, atol=1e-5) and sharpen(edge, 0) is edge


def test_every_need_has_formats_and_names_are_unlike() -> None:
    assert {f.need for f in FORMATS.values()} == set(NEEDS)
    assert len({f.title for f in FORMATS.values()}) == len(FORMATS)
    for form in FORMATS.values():
        assert bool(form.alpha_kinds) == bool(form.alpha_depth) == (form.content == "keyed")


# Animated WebP


def test_animated_webp_is_footage(tmp_path: Path) -> None:
    """RFC 9649: a container with the ANIM flag, read by Pillow, which FFmpeg's libraries cannot."""
    alphas = [shot(frame=n)[1] for n in range(6)]
    path = deliver([(flat(SKIN), a) for a in alphas], tmp_path, "webp", rate=12).files[0]
    assert kind_of(path) == "webp"
    with Reader([path]) as reader:
        assert (reader.facts.length, reader.facts.rate, reader.facts.alpha) == (6, Fraction(12), True)
        for number in (5, 0, 3):
            found = reader.frame(number).alpha
            assert found is not None and np.abs(found - alphas[number]).max() <= 0.5 / 255 + 1e-6


def test_animated_avif_is_footage_and_one_picture_is_a_still(tmp_path: Path) -> None:
    alphas = [shot(frame=n)[1] for n in range(6)]
    for rate in (12, 25, 50):
        made = deliver([(flat(SKIN), a) for a in alphas], tmp_path / f"at{rate}", "avif", rate=rate, cuts=[4])
        with Reader(made.files) as reader:
            assert (reader.facts.length, reader.facts.rate, reader.facts.alpha_kind) == (6, rate, "straight")
            for number in (5, 0, 3):
                found = reader.frame(number).alpha
                assert found is not None and np.abs(found - alphas[number]).max() <= 0.5 / 255 + 1e-6
    one = deliver([(flat(SKIN), alphas[0])], tmp_path / "one", "avif")
    assert one.proof.passed and probe(one.files).kind == "still"
    (tmp_path / "cut.avif").write_bytes(made.files[0].read_bytes()[:400])
    with pytest.raises(MediaError, match=r"\.$"):
        probe([tmp_path / "cut.avif"])


def test_a_still_webp_is_a_still_and_a_broken_animation_one_sentence(tmp_path: Path) -> None:
    Image.new("RGBA", (40, 30), (10, 200, 30, 255)).save(tmp_path / "still.webp")
    assert not kind_of(tmp_path / "still.webp") and probe([tmp_path / "still.webp"]).kind == "still"
    whole = deliver([(flat(SKIN), shot()[1])] * 4, tmp_path, "webp").files[0].read_bytes()
    (tmp_path / "cut.webp").write_bytes(whole[:60])
    with pytest.raises(MediaError, match=r"\.$"):
        probe([tmp_path / "cut.webp"])
