"""Looking into any file: whether alpha is really there, of which kind, and the usual traps."""

from collections import Counter

import numpy as np
from pydantic import BaseModel, ConfigDict

from upholster.core.delivery.alpha_kind import Verdict, judge_alpha
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import as_hex
from upholster.media.facts import Facts
from upholster.studio.making.keying import Footage

#: Frames looked at, spread over the file.
_LOOKED_AT = 6
#: What a codec's own standard says of its alpha; where it is silent, only looking tells.
_STATED = {
    "png": "straight",
    "apng": "straight",
    "webp": "straight",
    "avif": "straight",
    "gif": "straight",
    "openexr": "premultiplied",
}
#: Formats of wide use that cannot hold alpha at all.
_NEVER = {"h264": "H.264", "mjpeg": "JPEG", "mpeg4": "MPEG-4", "mpeg2video": "MPEG-2", "dnxhd": "DNxHD"}


class Inspection(BaseModel):
    """What was found in a file.

    Attributes
    ----------
    alpha : bool
        Whether there is an alpha channel that hides anything.
    looks : str
        ``straight``, ``premultiplied``, ``opaque``, ``empty``, ``unclear``, or empty without a channel.
    over : str
        Colour that premultiplied edges are mixed with, as ``#rrggbb``; empty otherwise.
    """

    model_config = ConfigDict(frozen=True)

    channel: bool
    alpha: bool
    looks: str
    over: str
    stated: str
    container: str
    codec: str
    width: int
    height: int
    frames: int
    rate: str
    depth: int
    colour: str
    warnings: tuple[str, ...]

    def in_words(self) -> str:
        if not self.alpha:
            hidden = "There is an alpha channel, but it hides nothing."
            return hidden if self.channel else "Alpha is not in this file."
        kind = f"{self.looks} over {self.over}" if self.over and self.over != "#000000" else self.looks
        unclear = f"by its format it is {self.stated}" if self.stated else "straight or premultiplied cannot be seen"
        how = {"unclear": unclear, "empty": "but nothing is visible"}
        return f"Alpha is in the file, {self.frames} frames; {how.get(self.looks, f'it looks {kind}')}."


def inspect(footage: Footage) -> Inspection:
    """Look at some frames of a file as they are stored."""
    facts = footage.facts
    verdict, boxed = _look(footage) if facts.alpha else (None, False)
    stated = _stated(facts)
    alpha = verdict is not None and verdict.kind != "opaque"
    return Inspection(
        channel=facts.alpha,
        alpha=alpha,
        looks=verdict.kind if verdict else "",
        over=as_hex(verdict.over) if verdict and verdict.over else "",
        stated=stated,
        container=facts.container,
        codec=facts.codec,
        width=facts.width,
        height=facts.height,
        frames=facts.length,
        rate=str(facts.rate),
        depth=facts.depth,
        colour=facts.colour.in_words(),
        warnings=tuple(_warnings(facts, verdict, stated, boxed)),
    )


def interpretation(footage: Footage) -> Facts:
    """Facts with alpha taken the way it looks, where the format itself does not say."""
    facts = footage.facts
    if not facts.alpha or _stated(facts):
        return facts
    verdict, _ = _look(footage)
    if verdict.kind != "premultiplied" or verdict.over is None:
        return facts
    return facts.model_copy(update={"alpha_kind": "premultiplied", "alpha_over": verdict.over})


def _stated(facts: Facts) -> str:
    """What the file or its standard says of its alpha; empty where neither says anything."""
    if not facts.alpha:
        return ""
    if facts.codec == "tiff":
        return facts.alpha_kind
    return "" if facts.container in ("mov", "matroska", "avi") else _STATED.get(facts.codec, "")


def _look(footage: Footage) -> tuple[Verdict, bool]:
    """The verdict most frames agree on, and whether the picture's corners are covered."""
    facts = footage.facts.model_copy(update={"alpha_kind": "straight"})
    if footage.facts.codec == "openexr":
        facts = facts.model_copy(update={"colour": facts.colour.model_copy(update={"transfer": "srgb"})})
    verdicts: list[Verdict] = []
    corners = 0
    with Reader(footage.files, facts) as reader:
        for number in sorted(set(np.linspace(0, facts.length - 1, _LOOKED_AT).round().astype(int).tolist())):
            frame = reader.frame(number)
            if frame.alpha is None:
                continue
            verdicts.append(judge_alpha(frame.rgb, frame.alpha))
            corners += bool(frame.alpha[[0, 0, -1, -1], [0, -1, 0, -1]].min() > 0.01)
    telling = [v for v in verdicts if v.kind in ("straight", "premultiplied")] or verdicts
    if not telling:
        return Verdict("unclear"), False
    kind = Counter(v.kind for v in telling).most_common(1)[0][0]
    same = [v for v in telling if v.kind == kind]
    over = [v.over for v in same if v.over]
    middle = np.median(over, axis=0) if over else None
    boxed = kind != "opaque" and corners == len(verdicts)
    return Verdict(kind, None if middle is None else (float(middle[0]), float(middle[1]), float(middle[2]))), boxed


def _warnings(facts: Facts, verdict: Verdict | None, stated: str, boxed: bool) -> list[str]:
    found = []
    if verdict is None:
        if facts.codec in _NEVER:
            found.append(f"{_NEVER[facts.codec]} cannot hold alpha: the background is part of the picture.")
        else:
            found.append("There is no alpha channel: the background is part of the picture.")
    elif verdict.kind == "opaque":
        found.append("The alpha channel is solid everywhere, as when a channel is kept but never filled.")
    elif verdict.kind == "empty":
        found.append("The alpha channel is clear everywhere on the frames looked at.")
    elif verdict.kind == "premultiplied":
        ground = "black" if verdict.over == (0.0, 0.0, 0.0) else as_hex(verdict.over or (0, 0, 0))
        if stated == "straight":
            found.append(f"Edges are mixed with {ground}, though this format's alpha is straight: expect a rim.")
        elif not stated:
            found.append(f"Bring it in as premultiplied over {ground}, or edges show a rim of that colour.")
    elif verdict.kind == "straight" and stated == "premultiplied":
        found.append("Edges look straight, though the file says premultiplied: expect a bright rim.")
    if boxed:
        found.append("All four corners are covered a little: a box may show around the subject.")
    if not facts.colour.tagged:
        found.append(f"Colour is not tagged; it was taken as {facts.colour.in_words()}.")
    found.extend(facts.notes)
    return found
