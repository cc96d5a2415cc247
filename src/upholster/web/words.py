"""Numbers and facts as people read them."""

from fractions import Fraction
from typing import Any

from upholster.media.facts import Facts
from upholster.media.formats import FORMATS


def size(count: int) -> str:
    for unit in ("bytes", "kB", "MB"):
        if count < 1000:
            return f"{count:.0f} {unit}" if unit == "bytes" or count >= 10 else f"{count:.1f} {unit}"
        count = count / 1000  # type: ignore[assignment]
    return f"{count:.2f} GB"


def rate(given: str | Fraction) -> str:
    return f"{float(Fraction(given)):.3f}".rstrip("0").rstrip(".")


def seconds(count: float) -> str:
    whole = round(count)
    return f"{whole} s" if whole < 90 else f"{whole // 60} min {whole % 60:02d} s"


def depth(facts: dict[str, Any]) -> str:
    bits = "floating point" if facts["floating"] else f"{facts['depth']} bits"
    return f"{bits} {facts['subsampling']}".strip()


def colour_tags(facts: dict[str, Any]) -> str:
    return Facts.model_validate(facts).colour.in_words()


def format_title(name: str) -> str:
    return FORMATS[name].title if name in FORMATS else name


FILTERS = {
    "size": size,
    "rate": rate,
    "seconds": seconds,
    "depth": depth,
    "colour_tags": colour_tags,
    "format_title": format_title,
}
