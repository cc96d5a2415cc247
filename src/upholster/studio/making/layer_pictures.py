"""The pictures of layers, read a few at a time and held for as long as there is room."""

from collections import OrderedDict
from collections.abc import Sequence
from contextlib import closing
from itertools import islice

from upholster.core.composite.layers import Element, trimmed, whole
from upholster.core.documents.fitting import Layer
from upholster.core.documents.recipe import Finish
from upholster.core.retime import between, pair_of
from upholster.core.timemap import Mix
from upholster.studio.making.elements import element_of, premultiplied, straight
from upholster.studio.making.keying import Job

#: Pictures of a layer read in one go.
_RUN = 8


class Held:
    """Pictures of all layers of a fitting, as many as there is room for; those used longest ago go first.

    Attributes
    ----------
    run : int
        How many pictures of a layer are worth being read in one go: fewer once some go before they were used.
    """

    def __init__(self, most: int) -> None:
        self.most, self.bytes, self.run = most, 0, _RUN
        self._each: OrderedDict[tuple[int, int], Element] = OrderedDict()
        self._unused: set[tuple[int, int]] = set()

    def find(self, layer: int, number: int) -> Element | None:
        found = self._each.get((layer, number))
        if found is not None:
            self._each.move_to_end((layer, number))
            self._unused.discard((layer, number))
        return found

    def keep(self, layer: int, number: int, element: Element) -> None:
        self._each[layer, number] = element
        self._unused.add((layer, number))
        self.bytes += element.rgba.nbytes
        while self.bytes > self.most and len(self._each) > 1:
            name, gone = self._each.popitem(last=False)
            self.bytes -= gone.rgba.nbytes
            if name in self._unused:
                self._unused.discard(name)
                self.run = max(1, self.run // 2)


class Pictures:
    """The pictures of a layer, read a few at a time: copies of a layer are at different places of it at once."""

    def __init__(self, job: Job, layer: Layer | None, held: Held) -> None:
        self.job, self.layer, self.held = job, layer, held

    def mixed(self, mix: Mix, wanted: Sequence[int]) -> Element:
        """A picture as a time map has it; `wanted` are those that are asked for soon, in rising order."""
        one = self.one(mix.first, wanted)
        if not mix.weight or self.layer is None:
            return one
        two = self.one(mix.second, wanted)
        pair = pair_of(straight(whole(one)), straight(whole(two)), self.layer.between)
        return trimmed(premultiplied(*between(pair, mix.weight)))

    def one(self, number: int, wanted: Sequence[int]) -> Element:
        return self.held.find(id(self), number) or self._read(number, wanted)

    def _read(self, first: int, wanted: Sequence[int]) -> Element:
        """A picture, and with it those after it that are asked for soon."""
        after = (n for n in wanted if n > first and self.held.find(id(self), n) is None)
        numbers = [first, *islice(after, self.held.run - 1)]
        finish, found = self.layer.finish if self.layer else Finish(), None
        with closing(self.job.frames(numbers)) as frames:
            for number, frame in zip(numbers, frames, strict=True):
                element = element_of(frame.rgb, frame.alpha, finish, number)
                self.held.keep(id(self), number, element)
                found = found or element
        assert found is not None
        # It is used now, unlike those after it.
        self.held.find(id(self), first)
        return found
