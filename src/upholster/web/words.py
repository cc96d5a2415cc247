"""Numbers and facts as people read them."""

from fractions import Fraction
from typing import Any

from upholster.media.delivery import Delivery, as_hex
from upholster.media.facts import Facts, Runs, runs_in_words
from upholster.media.formats import FORMATS
from upholster.studio.shots.lines import words_of

#: Between a number and its unit, which belong on one line.
_NO_BREAK = "\u00a0"


def size(count: int) -> str:
    for unit in ("bytes", "kB", "MB"):
        if count < 1000:
            return (
                f"{count:.0f}{_NO_BREAK}{unit}" if unit == "bytes" or count >= 10 else f"{count:.1f}{_NO_BREAK}{unit}"
            )
        count = count / 1000  # type: ignore[assignment]
    return f"{count:.2f}{_NO_BREAK}GB"


def counted(count: int, thing: str) -> str:
    """A number of things: “1 frame”, “2 frames”."""
    return f"{count} {thing}{'s' * (count != 1)}"


def rate(given: str | Fraction) -> str:
    return f"{float(Fraction(given)):.3f}".rstrip("0").rstrip(".")


def seconds(count: float) -> str:
    whole = round(count)
    minutes, rest = divmod(whole, 60)
    return f"{whole}{_NO_BREAK}s" if whole < 90 else f"{minutes}{_NO_BREAK}min {rest:02d}{_NO_BREAK}s"


def depth(facts: dict[str, Any]) -> str:
    bits = "floating point" if facts["floating"] else f"{facts['depth']}{_NO_BREAK}bits"
    return f"{bits} {facts['subsampling']}".strip()


def delivered(delivery: dict[str, Any]) -> str:
    """A delivery in a few words: format, alpha, what differs from the plate."""
    known = Delivery.model_validate(delivery)
    form = FORMATS.get(known.format)
    if form is None:
        return known.format
    parts = [form.title]
    if form.alpha_depth:
        parts.append(f"{known.alpha} alpha")
    if form.content == "flat" and known.colour:
        parts.append(f"over {known.colour}")
    if known.sound:
        parts.append("with sound")
    return ", ".join(parts)


def damaged(runs: Runs) -> str:
    """What to say of frames the decoder had to make up."""
    return f"The file is damaged: the decoder made up parts of {runs_in_words(runs)}."


def error_line(errors: list[float], width: int = 120, height: int = 24) -> str:
    """Points of a small plot of errors per frame, the largest at the top."""
    top = max([*errors, 1e-6])
    across = width / max(1, len(errors) - 1)
    return " ".join(f"{k * across:.1f},{height - 1 - (height - 2) * e / top:.1f}" for k, e in enumerate(errors))


FILTERS = {
    "size": size,
    "counted": counted,
    "rate": rate,
    "seconds": seconds,
    "depth": depth,
    "known": Facts.model_validate,
    "delivered": delivered,
    "hex": as_hex,
    "damaged": damaged,
    "error_line": error_line,
    "line_words": words_of,
}
