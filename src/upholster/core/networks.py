"""Small networks that ship with the package, run by ONNX Runtime; `bench/learn` trains them.

They look at a picture in blocks of two by two pixels, whose planes stand behind each other.
"""

from functools import cached_property
from importlib.resources import files
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows

if TYPE_CHECKING:
    from onnxruntime import InferenceSession

Plane = NDArray[np.float32]

#: Pixels of a block on a side; and sides are made multiples of so many blocks.
BLOCK, EVEN = 2, 8


class Network:
    """A network, which several threads may ask at once; each is answered on its own thread.

    Parameters
    ----------
    package, name : str
        Where its file lies.
    given : int
        Planes it gives.
    """

    def __init__(self, package: str, name: str, given: int) -> None:
        self.package, self.name, self.given = package, name, given

    def answer(self, told: Plane) -> Plane:
        """What it gives for ``(planes, rows, columns)``: ``(given, rows, columns)``."""
        rows, columns = told.shape[1:]
        high, wide = (EVEN * -(-side // (BLOCK * EVEN)) for side in (rows, columns))
        blocks = np.empty((len(told), BLOCK, BLOCK, high, wide), np.float32)
        over_rows(_into_blocks, high, told, blocks)
        (given,) = self._session.run(None, {"told": blocks.reshape(1, -1, high, wide)})
        out = np.empty((self.given, rows, columns), np.float32)
        over_rows(_out_of_blocks, rows, given.reshape(self.given, BLOCK, BLOCK, high, wide), out)
        return out

    @cached_property
    def _session(self) -> "InferenceSession":
        # Imported late: whoever asks nothing need not wait for it.
        from onnxruntime import InferenceSession, SessionOptions

        options = SessionOptions()
        options.intra_op_num_threads = options.inter_op_num_threads = 1
        kept = files(self.package).joinpath(self.name).read_bytes()
        return InferenceSession(kept, options, providers=["CPUExecutionProvider"])


@compiled
def _into_blocks(told, blocks, first, end):
    """Pixels sorted by where they lie in their block; beyond the last of them it goes on as they are."""
    rows, columns = told.shape[1:]
    for k in range(told.shape[0]):
        for down in range(BLOCK):
            for j in range(first, end):
                row = told[k, min(BLOCK * j + down, rows - 1)]
                for across in range(BLOCK):
                    out, whole = blocks[k, down, across, j], columns // BLOCK
                    for i in range(whole):
                        out[i] = row[BLOCK * i + across]
                    for i in range(whole, out.shape[0]):
                        out[i] = row[min(BLOCK * i + across, columns - 1)]


@compiled
def _out_of_blocks(blocks, out, first, end):
    for k in range(out.shape[0]):
        for j in range(first, end):
            for i in range(out.shape[2]):
                out[k, j, i] = blocks[k, j % BLOCK, i % BLOCK, j // BLOCK, i // BLOCK]
