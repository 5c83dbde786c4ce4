"""Colours: the paper and ink of the interface, and maps from numbers to colours.

The maps are laid out in CIELAB (CIE 15:2004, D65 white) so that lightness rises steadily along them.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable


@immutable
class Theme:
    """Named colours as ``#RRGGBB``."""

    name: str
    paper: str
    desk: str
    stage: str
    field: str
    ink: str
    quiet: str
    hairline: str
    ember: str
    value: str
    teal: str
    agree: str
    off: str
    note: str
    #: Fill of regions by order of their materials, quiet enough for text on top.
    tints: tuple[str, ...]


LIGHT = Theme(
    "light",
    paper="#FBF8F3",
    desk="#EFEAE2",
    stage="#F6F3EE",
    field="#FFFFFF",
    ink="#2A2522",
    quiet="#756B62",
    hairline="#DDD4C8",
    ember="#C2491D",
    value="#8A3413",
    teal="#1F6C7A",
    agree="#3E7C4F",
    off="#B3261E",
    note="#F3ECE1",
    tints=("#E7CDB5", "#EFE6C9", "#C9D3D3", "#DDC5C0", "#D3DAC2", "#CFC6D6"),
)
DARK = Theme(
    "dark",
    paper="#221E1C",
    desk="#1A1715",
    stage="#1E1B19",
    field="#2D2825",
    ink="#EDE6DC",
    quiet="#A4988B",
    hairline="#453D37",
    ember="#EA7A45",
    value="#F0B08A",
    teal="#66B5C4",
    agree="#7DBE8E",
    off="#F0857C",
    note="#2E2823",
    tints=("#5A4535", "#57503A", "#3C494B", "#54403D", "#454C39", "#453E4C"),
)

_TEMPERATURE_STOPS = ("#1B1A2B", "#4A2A52", "#86304A", "#B8432F", "#E0792B", "#F2B84B", "#FBEFC2")
_DIFFERENCE_STOPS = ("#0F4C58", "#4C93A0", "#FBF8F3", "#DE8257", "#8E2F0E")
_TO_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)
_WHITE = np.array([0.95047, 1.0, 1.08883])


def rgb(colour: str) -> tuple[float, float, float]:
    """Return ``#RRGGBB`` as three numbers from 0 to 1."""
    red, green, blue = (int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return red, green, blue


@lru_cache(maxsize=4)
def temperature_map(count: int = 256) -> Floats:
    """Return (count, 3) colours in 0…1 from dark plum over ember to straw, lightness rising evenly."""
    lab = to_lab(np.array([rgb(stop) for stop in _TEMPERATURE_STOPS]))
    light = np.linspace(lab[0, 0], lab[-1, 0], count)
    even = np.column_stack([light, *(np.interp(light, lab[:, 0], lab[:, axis]) for axis in (1, 2))])
    return np.clip(from_lab(even), 0, 1)


@lru_cache(maxsize=4)
def difference_map(count: int = 255) -> Floats:
    """Return (count, 3) colours in 0…1 from teal over paper to ember, for differences about zero."""
    lab = to_lab(np.array([rgb(stop) for stop in _DIFFERENCE_STOPS]))
    places = np.linspace(0, 1, len(lab))
    even = np.column_stack([np.interp(np.linspace(0, 1, count), places, lab[:, axis]) for axis in range(3)])
    return np.clip(from_lab(even), 0, 1)


def to_lab(colours: Floats) -> Floats:
    """Convert sRGB (n, 3) in 0…1 to CIELAB (IEC 61966-2-1 and CIE 15:2004)."""
    linear = np.where(colours <= 0.04045, colours / 12.92, ((colours + 0.055) / 1.055) ** 2.4)
    ratio = linear @ _TO_XYZ.T / _WHITE
    f = np.where(ratio > (6 / 29) ** 3, np.cbrt(ratio), ratio / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.column_stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])])


def from_lab(lab: Floats) -> Floats:
    """Convert CIELAB (n, 3) to sRGB, not clipped."""
    fy = (lab[:, 0] + 16) / 116
    f = np.column_stack([fy + lab[:, 1] / 500, fy, fy - lab[:, 2] / 200])
    ratio = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29))
    linear = np.maximum((ratio * _WHITE) @ np.linalg.inv(_TO_XYZ).T, 0)
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
