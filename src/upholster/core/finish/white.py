"""The white of a light, by temperature and tint, and colours adapted from one white to another."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]

#: Temperature of a light that changes nothing, in kelvin, and the span of temperatures.
NEUTRAL, COLDEST, WARMEST = 6500.0, 15000.0, 2000.0
#: Distance from the locus in CIE 1960 u, v that a tint of 100 stands for.
_FULL_TINT = 0.03
#: Linear BT.709 to CIE XYZ, white D65: Rec. ITU-R BT.709-6, item 1, worked out by SMPTE RP 177.
_TO_XYZ = np.array(
    [
        [0.4123907993, 0.3575843394, 0.1804807884],
        [0.2126390059, 0.7151686788, 0.0721923154],
        [0.0193308187, 0.1191947798, 0.9505321522],
    ]
)
#: Lam 1985, the "Bradford" cone responses, as in CIE 159:2004.
_BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


class Light(NamedTuple):
    """A light: correlated colour temperature in kelvin, and -100 (magenta) to 100 (green) away from the locus."""

    temperature: float
    tint: float


def white_of(light: Light) -> Matrix:
    """CIE 1931 x, y of a light, ``(2,)``.

    Notes
    -----
    The Planckian locus by Kang, Moon, Hong, Lee, Cho and Kim 2002, "Design of advanced color temperature control
    system for HDTV applications"; the tint is a distance from it in CIE 1960 u, v.
    """
    u, v = _uv(_locus(light.temperature))
    if not light.tint:
        return _locus(light.temperature)
    along = np.array(_uv(_locus(light.temperature + 1))) - np.array(_uv(_locus(light.temperature - 1)))
    across = np.array([along[1], -along[0]]) / np.hypot(*along)
    # Green lies towards larger v.
    away = np.sign(across[1]) * across * _FULL_TINT * light.tint / 100
    return _xy(u + away[0], v + away[1])


def adaptation(light: Light) -> Matrix:
    """Matrix ``(3, 3)`` for linear BT.709 colours, after which what was white in `light` is white.

    Von Kries' scaling of the Bradford responses (CIE 159:2004). A neutral light gives the identity.
    """
    if light == Light(NEUTRAL, 0):
        return np.eye(3)
    have, want = (_BRADFORD @ _xyz(white_of(each)) for each in (light, Light(NEUTRAL, 0)))
    to_cones = _BRADFORD @ _TO_XYZ
    return np.linalg.inv(to_cones) @ np.diag(want / have) @ to_cones


def light_of(grey: NDArray[np.floating]) -> Light:
    """The light in which a linear BT.709 colour ``(3,)`` is a grey: `adaptation` to it takes its colour away.

    Raises
    ------
    ValueError
        Where no light makes that colour grey: it is too dark, or too colourful.
    """
    cones = _BRADFORD @ _TO_XYZ @ np.asarray(grey, np.float64)
    if not (np.isfinite(cones).all() and (cones > 1e-5).all()):
        raise ValueError("that place is too dark or too colourful to be a grey")
    white = _BRADFORD @ _TO_XYZ @ np.ones(3)
    sum_x, sum_y, sum_z = np.linalg.inv(_BRADFORD) @ (cones / white * (_BRADFORD @ _xyz(white_of(Light(NEUTRAL, 0)))))
    total = sum_x + sum_y + sum_z
    at = np.array(_uv(np.array([sum_x, sum_y]) / total))

    def away(mired: float) -> float:
        return float(np.hypot(*(np.array(_uv(_locus(1e6 / mired))) - at)))

    # Imported late: it takes long, and every command would wait for it.
    from scipy.optimize import minimize_scalar

    found = minimize_scalar(away, bounds=(1e6 / COLDEST, 1e6 / WARMEST), method="bounded", options={"xatol": 1e-6})
    temperature = 1e6 / found.x
    side = np.sign(at[1] - _uv(_locus(temperature))[1])
    tint = float(side * away(found.x) / _FULL_TINT * 100)
    if abs(tint) > 100:
        raise ValueError("that place is too colourful to be a grey")
    return Light(temperature, tint)


def _locus(temperature: float) -> Matrix:
    t = 1e3 / temperature
    if temperature <= 4000:
        x = ((-0.2661239 * t - 0.2343589) * t + 0.8776956) * t + 0.179910
    else:
        x = ((-3.0258469 * t + 2.1070379) * t + 0.2226347) * t + 0.24039
    if temperature <= 2222:
        y = ((-1.1063814 * x - 1.34811020) * x + 2.18555832) * x - 0.20219683
    elif temperature <= 4000:
        y = ((-0.9549476 * x - 1.37418593) * x + 2.09137015) * x - 0.16748867
    else:
        y = ((3.0817580 * x - 5.8733867) * x + 3.75112997) * x - 0.37001483
    return np.array([x, y])


def _uv(xy: Matrix) -> tuple[float, float]:
    below = -2 * xy[0] + 12 * xy[1] + 3
    return float(4 * xy[0] / below), float(6 * xy[1] / below)


def _xy(u: float, v: float) -> Matrix:
    below = 2 * u - 8 * v + 4
    return np.array([3 * u / below, 2 * v / below])


def _xyz(xy: Matrix) -> Matrix:
    return np.array([xy[0] / xy[1], 1.0, (1 - xy[0] - xy[1]) / xy[1]])
