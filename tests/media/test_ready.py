"""Ready values: each is a delivery that its format can hold, of a take that anybody has."""

from fractions import Fraction

import pytest

from upholster.core.documents.recipe import Take
from upholster.media.delivery import Delivery, plan, read_delivery
from upholster.media.facts import Facts
from upholster.media.ready import READY, Ready, ready

FACTS = Facts(kind="video", container="mov", codec="", width=1920, height=1080, length=48, rate=Fraction(24), depth=8)


@pytest.mark.parametrize("each", READY, ids=lambda each: each.name)
def test_ready_values_can_be_delivered_and_read_back(each: Ready) -> None:
    planned = plan(each.delivery, FACTS, Take())
    assert max(planned.width, planned.height) == (each.delivery.size or 1920)
    assert read_delivery(each.delivery.model_dump(mode="json")) == each.delivery == ready(each.name)


def test_every_name_and_every_word_is_there_once() -> None:
    assert len({each.name for each in READY}) == len({each.words for each in READY}) == len(READY)
    assert ready("web-element") == Delivery(format="vp9-small", size=1000, bitrate=700)
    assert (ready("sticker").format, ready("sticker").size, ready("sticker").rate) == ("gif", 480, 12)
