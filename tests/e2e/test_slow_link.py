"""Where the house is far away, pictures that pass by come packed; the one that is looked at comes as it is."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from bench_page import open_own_shot, set_value, settled
from playwright.sync_api import Page, Response

from plates import green_clip
from upholster.studio.looking import look

pytestmark = pytest.mark.e2e


def test_colour_and_coverage_lie_above_each_other() -> None:
    draw = np.random.default_rng(3)
    smooth = cv2.GaussianBlur(draw.random((60, 80, 4), np.float32), (0, 0), 6)
    pixels = (255 * cv2.normalize(smooth, None, 0, 1, cv2.NORM_MINMAX)).astype(np.uint8)
    both = cv2.imdecode(np.frombuffer(look.packed(pixels), np.uint8), cv2.IMREAD_COLOR)
    assert both.shape == (120, 80, 3)
    assert np.abs(both[:60, :, ::-1].astype(int) - pixels[..., :3]).mean() < 4
    assert np.abs(both[60:, :, 1].astype(int) - pixels[..., 3]).max() < 12


def test_a_slow_link_has_packed_pictures_and_then_the_one_as_it_is(page: Page, tmp_path: Path) -> None:
    kinds: list[tuple[str, str]] = []
    raw = "application/octet-stream"

    def quality(answer: Response) -> str:
        return answer.request.post_data_json["quality"] if answer.url.endswith("/picture") else ""

    def fine(answer: Response) -> bool:
        return quality(answer) == "fine" and answer.headers["content-type"] == raw

    def note(answer: Response) -> None:
        if quality(answer) and answer.status == 200:
            kinds.append((quality(answer), answer.headers["content-type"]))

    page.on("response", note)
    open_own_shot(page, green_clip(tmp_path / "far_away_teal.mp4", 6, 0.0771))
    session = page.context.new_cdp_session(page)
    session.send("Network.emulateNetworkConditions", {"offline": False, "latency": 20, "downloadThroughput": 4e5,
                                                      "uploadThroughput": 4e5})  # fmt: skip
    for value in ("30", "31", "32", "33"):
        kinds.clear()
        with page.expect_response(fine):
            set_value(page, "Solid above", value)
        settled(page)
    assert ("quick", "image/jpeg") in kinds
    alpha = """() => {
        const { data } = document.getElementById("result").getContext("2d").getImageData(0, 0, 12, 12);
        return Math.max(...data.filter((_, k) => k % 4 === 3));
    }"""
    assert page.evaluate(alpha) < 10, "nothing covers the corner"
    session.send("Network.emulateNetworkConditions", {"offline": False, "latency": 0, "downloadThroughput": -1,
                                                      "uploadThroughput": -1})  # fmt: skip
    # Beside busy tests one may come late still; before long they come as they are again.
    for value in range(34, 54):
        kinds.clear()
        with page.expect_response(fine):
            set_value(page, "Solid above", str(value))
        settled(page)
        if {kind for _, kind in kinds} == {raw}:
            break
    assert {kind for _, kind in kinds} == {raw}
