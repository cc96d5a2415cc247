"""Wide gamut and high dynamic range brought to BT.709.

Display-referred, as whoever graded it saw it: curves and matrices of Rec. ITU-R BT.2100-2 (tables 4 and 5, PQ and
HLG), BT.1886 for ordinary ones, BT.2087-0 for the primaries. White, the level of a white sheet, lies where Report
BT.2408 puts it: at 203 cd/m2, which in HLG is a signal of 75 %. Nothing is pressed together: what is brighter than
white goes on above 1.
"""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Curve = Literal["pq", "hlg", "gamma"]

#: Light of a white sheet, and of the display that HLG is seen on, in cd/m2 (BT.2408-7, 2.2; BT.2100-2, table 5).
_WHITE, _DISPLAY = 203.0, 1000.0
#: BT.2100-2, table 4.
_M1, _M2 = 2610 / 16384, 2523 / 4096 * 128
_C1, _C2, _C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
#: BT.2100-2, table 5; its system gamma at 1000 cd/m2.
_A, _B, _C, _SYSTEM = 0.17883277, 0.28466892, 0.55991073, 1.2
_BT1886 = 2.4
_LUMA_2020 = np.array([0.2627, 0.6780, 0.0593], np.float32)
#: Linear BT.2020 to linear BT.709: the inverse of BT.2087-0, equation 4.
_TO_709 = np.linalg.inv(
    np.array([[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.0880, 0.8956]])
).astype(np.float32)


def to_bt709(rgb: Plane, curve: Curve, *, wide: bool) -> Plane:
    """Encoded colour as BT.709 encodes it.

    Parameters
    ----------
    rgb : (3, height, width) float32
        Encoded by `curve`, 0..1; ``gamma`` is that of BT.709 and of BT.2020 alike.
    wide : bool
        Whether its primaries are those of BT.2020.

    Returns
    -------
    (3, height, width) float32
        0 and more; 1 is white. Colours outside the gamut of BT.709 are cut off at its border.
    """
    light = _LIGHT[curve](np.maximum(rgb, 0))
    if wide:
        light = np.einsum("ij,jhw->ihw", _TO_709, light)
    return (np.maximum(light, 0) ** np.float32(1 / _BT1886)).astype(np.float32)


def _pq(signal: Plane) -> Plane:
    root = np.minimum(signal, 1) ** np.float32(1 / _M2)
    light = (np.maximum(root - _C1, 0) / (_C2 - _C3 * root)) ** np.float32(1 / _M1)
    return light * np.float32(10_000 / _WHITE)


def _hlg(signal: Plane) -> Plane:
    scene = np.where(signal <= 0.5, signal**2 / 3, (np.exp((signal - _C) / _A) + _B) / 12)
    luma = np.einsum("i,ihw->hw", _LUMA_2020, scene)
    return scene * np.maximum(luma, 1e-6) ** np.float32(_SYSTEM - 1) * np.float32(_DISPLAY / _WHITE)


def _gamma(signal: Plane) -> Plane:
    return signal ** np.float32(_BT1886)


_LIGHT = {"pq": _pq, "hlg": _hlg, "gamma": _gamma}
