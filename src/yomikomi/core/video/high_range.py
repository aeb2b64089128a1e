"""Transfer characteristics of wide-range pictures, and what brings them to ordinary screens.

All arrays are float64. Light is in cd/m² where a name says ``nits``.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

# shape=(…), of any shape that a function does not say itself.
Array = NDArray[np.float64]

# SMPTE ST 2084 (and ITU-R BT.2100-2 table 4).
_M1, _M2 = 2610 / 16384, 2523 / 4096 * 128
_C1, _C2, _C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
_PQ_TOP = 10_000.0
# ARIB STD-B67 and ITU-R BT.2100-2 table 5.
_HLG_A, _HLG_B, _HLG_C = 0.17883277, 0.28466892, 0.55991073
# Luminance of linear light of BT.2020 primaries (ITU-R BT.2020-2 table 4).
LUMA_2020 = np.array([0.2627, 0.6780, 0.0593])
# From linear light of BT.2020 primaries to that of BT.709 (ITU-R BT.2087-0 gives the reverse; inverted).
TO_709 = np.array([[1.660491, -0.587641, -0.072850], [-0.124550, 1.132900, -0.008349], [-0.018151, -0.100579, 1.118730]])


def pq_to_nits(signal: Array) -> Array:
    """``signal``: 0…1, any shape. Source: SMPTE ST 2084 section 5."""
    power = np.power(np.clip(signal, 0, 1), 1 / _M2)
    return _PQ_TOP * np.power(np.maximum(power - _C1, 0) / (_C2 - _C3 * power), 1 / _M1)


def nits_to_pq(nits: Array) -> Array:
    """0…1, any shape; light outside of 0…10 000 cd/m² is clipped. Source: SMPTE ST 2084 section 5."""
    power = np.power(np.clip(nits, 0, _PQ_TOP) / _PQ_TOP, _M1)
    return np.power((_C1 + _C2 * power) / (1 + _C3 * power), _M2)


def hlg_to_nits(signal: Array, *, peak: float = 1000.0) -> Array:
    """``signal``: [shape=(…, 3), 0…1, R′G′B′ of BT.2020 primaries]; ``peak``: of the screen, cd/m², without black lift. The system's
    gamma is 1.2 for 1000 cd/m² and follows the peak (ITU-R BT.2100-2 table 5)."""
    clipped = np.clip(signal, 0, 1)
    scene = np.where(clipped <= 0.5, clipped**2 / 3, (np.exp((clipped - _HLG_C) / _HLG_A) + _HLG_B) / 12)
    gamma = 1.2 + 0.42 * np.log10(peak / 1000)
    luminance = np.maximum(scene @ LUMA_2020, 1e-9)[..., None]
    return np.asarray(peak * luminance ** (gamma - 1) * scene)


def tone_mapped(nits: Array, *, peak: float, target: float) -> Array:
    """Light of up to ``peak`` cd/m² brought under ``target`` cd/m²: below the knee nothing changes.

    Source: the electrical-electrical transfer of ITU-R BT.2390-10 section 5.4.1 (from memory), with black at 0.
    """
    top, most = (float(nits_to_pq(np.array(value))) for value in (peak, target))
    limit = most / top
    if limit >= 1:
        return nits
    knee = 1.5 * limit - 0.5
    signal = np.minimum(nits_to_pq(nits) / top, 1)
    part = np.maximum(0, (signal - knee) / (1 - knee))
    spline = (
        (2 * part**3 - 3 * part**2 + 1) * knee + (part**3 - 2 * part**2 + part) * (1 - knee) + (-2 * part**3 + 3 * part**2) * limit
    )
    return pq_to_nits(np.where(signal < knee, signal, spline) * top)


def into_gamut(light: Array, luminance: Array, *, knee: float = 0.8) -> Array:
    """Colours outside of 0…1 pulled towards the grey of their luminance, softly: from ``knee`` of the way to the border on.

    Parameters
    ----------
    light : ndarray [shape=(…, 3), linear, 1 = white]
    luminance : ndarray [shape=(…), 0…1], which stays.

    Our own mapping; no standard says one.
    """
    grey = np.clip(luminance, 0, 1)[..., None]
    away = light - grey
    room = np.where(away > 0, 1 - grey, grey)
    reach = np.max(np.abs(away) / np.maximum(room, 1e-6), axis=-1, keepdims=True)  # 1: on the border
    soft = np.where(reach > knee, knee + (1 - knee) * -np.expm1(-(reach - knee) / (1 - knee)), reach)
    return np.clip(grey + away * (soft / np.maximum(reach, 1e-9)), 0, 1)
