"""Colour decisions as other programs write them: ASC CDL v1.2, in its XML forms `.cc`, `.ccc` and `.cdl`."""

import math
from typing import NamedTuple
from xml.etree import ElementTree

_SPACE = "urn:ASC:CDL:v1.01"
#: Most characters of such a file; one decision takes some hundred.
_MOST = 1_000_000

Three = tuple[float, float, float]


class Decision(NamedTuple):
    """Slope, offset and power for red, green and blue, and saturation."""

    slope: Three = (1.0, 1.0, 1.0)
    offset: Three = (0.0, 0.0, 0.0)
    power: Three = (1.0, 1.0, 1.0)
    saturation: float = 1.0


def from_cdl(text: str) -> Decision:
    """The first decision of a `.cc`, `.ccc` or `.cdl` file.

    Raises
    ------
    ValueError
        With what is wrong with it.
    """
    # Entities could make much of little.
    if len(text) > _MOST or "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise ValueError("it is too long, or has definitions of its own, which a colour decision has not")
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError:
        raise ValueError("it is not XML") from None
    for each in root.iter():
        each.tag = each.tag.rpartition("}")[2] if isinstance(each.tag, str) else ""
    found = root if root.tag == "ColorCorrection" else root.find(".//ColorCorrection")
    if found is None:
        raise ValueError("it holds no colour correction")
    slope = _three(found, "Slope", (1.0, 1.0, 1.0), least=0.0)
    offset = _three(found, "Offset", (0.0, 0.0, 0.0), least=-math.inf)
    power = _three(found, "Power", (1.0, 1.0, 1.0), least=1e-6)
    (saturation,) = _numbers(found, "Saturation", (1.0,), least=0.0)
    return Decision(slope, offset, power, saturation)


def to_cdl(decision: Decision, name: str, *, whole: bool) -> str:
    """A decision as XML: a lone correction as in `.cc`, or, where `whole`, the list of one as in `.cdl`."""
    correction = ElementTree.Element("ColorCorrection", id=name)
    operations = ElementTree.SubElement(correction, "SOPNode")
    for tag, three in (("Slope", decision.slope), ("Offset", decision.offset), ("Power", decision.power)):
        ElementTree.SubElement(operations, tag).text = " ".join(f"{value:.6f}" for value in three)
    ElementTree.SubElement(
        ElementTree.SubElement(correction, "SATNode"), "Saturation"
    ).text = f"{decision.saturation:.6f}"
    root = correction
    if whole:
        root = ElementTree.Element("ColorDecisionList")
        ElementTree.SubElement(root, "ColorDecision").append(correction)
    root.set("xmlns", _SPACE)
    ElementTree.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def _three(found: ElementTree.Element, tag: str, standard: Three, least: float) -> Three:
    red, green, blue = _numbers(found, tag, standard, least)
    return red, green, blue


def _numbers(found: ElementTree.Element, tag: str, standard: tuple[float, ...], least: float) -> list[float]:
    node = found.find(f".//{tag}")
    if node is None:
        return list(standard)
    try:
        numbers = [float(word) for word in (node.text or "").split()]
    except ValueError:
        numbers = []
    if len(numbers) != len(standard) or not all(math.isfinite(n) and n >= least for n in numbers):
        wanted = "one number" if len(standard) == 1 else "three numbers"
        raise ValueError(f"its {tag} is not {wanted} that a colour decision can have")
    return numbers
