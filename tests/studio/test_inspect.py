"""What is said of any file: whether alpha is really there, of which kind, and the usual traps."""

from pathlib import Path

import cv2
import numpy as np
import pytest
import tifffile

from deliveries import deliver
from plates import SKIN, flat, green_clip, shot
from upholster.media.decoder.reader import Reader, probe
from upholster.studio.footage.inspect import Inspection, inspect, interpretation
from upholster.studio.making.keying import Footage

FRAMES = [(flat(SKIN), shot(frame=n, soft=2.0)[1]) for n in range(4)]


def footage(*files: Path) -> Footage:
    return Footage(files, probe(files))


def look(*files: Path) -> Inspection:
    return inspect(footage(*files))


@pytest.mark.parametrize("kind", ["straight", "premultiplied"])
@pytest.mark.parametrize("name", ["prores4444", "png-mov", "ffv1"])
def test_the_kind_of_alpha_is_seen_where_the_file_does_not_say(tmp_path: Path, name: str, kind: str) -> None:
    found = look(*deliver(FRAMES, tmp_path, name, alpha=kind).files)
    assert found.alpha and found.channel and found.looks == kind and found.stated == ""
    assert f"it looks {kind}" in found.in_words()
    assert any("premultiplied over black" in w for w in found.warnings) == (kind == "premultiplied")


@pytest.mark.parametrize(
    ("name", "stated"),
    [("apng", "straight"), ("webp", "straight"), ("exr-half", "premultiplied"), ("png8", "straight")],
)
def test_what_a_format_says_of_its_alpha_stands(tmp_path: Path, name: str, stated: str) -> None:
    files = deliver(FRAMES, tmp_path, name).files
    found = look(*files)
    assert found.alpha and found.stated == stated and found.looks == stated
    assert not [w for w in found.warnings if "rim" in w]
    assert interpretation(footage(*files)).alpha_kind == stated


def test_a_picture_mixed_with_white_is_found_out_and_put_right(tmp_path: Path) -> None:
    """Common practice, no source: a straight format fed with a picture that lay over white shows a pale rim."""
    alpha = FRAMES[0][1]
    mixed = flat(SKIN) * alpha + (1 - alpha)
    pixels = np.rint(np.stack([*mixed[::-1], alpha], axis=-1) * 255).astype(np.uint8)
    cv2.imwrite(str(tmp_path / "logo.png"), pixels)
    found = look(tmp_path / "logo.png")
    assert found.looks == "premultiplied" and found.over in ("#ffffff", "#fefefe", "#fffeff")
    assert any("straight: expect a rim" in w for w in found.warnings)
    facts = probe([tmp_path / "logo.png"]).model_copy(
        update={"alpha_kind": "premultiplied", "alpha_over": (1.0, 1.0, 1.0)}
    )
    with Reader([tmp_path / "logo.png"], facts) as reader:
        frame = reader.frame(0)
    assert np.abs(frame.rgb - flat(SKIN))[:, alpha > 0.3].max() < 0.02


def test_no_channel_and_channels_that_hide_nothing_are_told_apart(tmp_path: Path) -> None:
    film = look(green_clip(tmp_path / "a.mp4", 3))
    assert not film.channel and not film.alpha and "H.264 cannot hold alpha" in film.warnings[0]
    assert film.in_words() == "Alpha is not in this file."
    solid = look(*deliver([(flat(SKIN), np.ones((180, 320), np.float32))], tmp_path / "b", "ffv1").files)
    assert solid.channel and not solid.alpha and "solid everywhere" in solid.warnings[0]
    assert "hides nothing" in solid.in_words()
    clear = look(*deliver([(flat(SKIN), np.zeros((180, 320), np.float32))], tmp_path / "c", "ffv1").files)
    assert clear.looks == "empty" and "nothing is visible" in clear.in_words()


def test_a_veil_over_the_whole_picture_is_warned_of(tmp_path: Path) -> None:
    veiled = [(rgb, np.maximum(alpha, 0.06).astype(np.float32)) for rgb, alpha in FRAMES]
    assert any("a box may show" in w for w in look(*deliver(veiled, tmp_path, "ffv1").files).warnings)
    assert not any("box" in w for w in look(*deliver(FRAMES, tmp_path / "clean", "ffv1").files).warnings)


def test_untagged_colour_is_said(tmp_path: Path) -> None:
    """Rec. ITU-T H.273: code points of a stream may be unspecified (2); then the usual rule by size applies."""
    film = green_clip(tmp_path / "tagged.mp4", 3)
    assert not any("not tagged" in w for w in look(film).warnings)
    untagged = footage(film).facts
    plain = untagged.model_copy(update={"colour": untagged.colour.model_copy(update={"tagged": False})})
    assert any("not tagged" in w for w in inspect(Footage((film,), plain)).warnings)


def test_tiff_that_says_one_thing_and_shows_another(tmp_path: Path) -> None:
    """TIFF 6.0, page 31: ExtraSamples 1 promises associated alpha."""
    alpha = FRAMES[0][1]
    pixels = np.rint(np.stack([*flat(SKIN), alpha], axis=-1) * 65535).astype(np.uint16)
    tifffile.imwrite(tmp_path / "odd.tif", pixels, photometric="rgb", extrasamples=[1])
    found = look(tmp_path / "odd.tif")
    assert found.stated == "premultiplied" and found.looks == "straight"
    assert any("bright rim" in w for w in found.warnings)


def test_one_bit_alpha_is_neither(tmp_path: Path) -> None:
    found = look(*deliver(FRAMES, tmp_path, "gif").files)
    assert found.alpha and found.looks == "unclear" and "by its format it is straight" in found.in_words()
