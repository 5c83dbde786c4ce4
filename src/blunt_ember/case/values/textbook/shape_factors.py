"""Shape factors: heat between two surfaces of even temperatures is S k ΔT, with a length S that follows shapes alone.

Sources, by what entries call them: *Incropera*: Incropera, DeWitt, Bergman & Lavine, *Fundamentals of Heat and Mass
Transfer*, 6th ed. (2007), table 4.1. *Hahne & Grigull*: Int. J. Heat Mass Transfer 18 (1975) 751. *Smythe*: *Static
and Dynamic Electricity*, 3rd ed. (1968), whose capacitances over the permittivity are shape factors. *Conformal*: the
mapping of Schwarz and Christoffel with complete elliptic integrals.
"""

from __future__ import annotations

from math import acos, acosh, atanh, cosh, exp, isclose, log, log1p, pi, sinh, sqrt, tanh

from blunt_ember.case.values.textbook.entry import Entry

#: What of a wall's square the bend of two walls adds, and what the corner of three (Langmuir, Adams & Meikle, *Trans.
#: Am. Electrochem. Soc.* 24 (1913) 53).
_BEND, _CORNER = 1 - 2 / pi * log(2), 0.15


def _sphere_below_plane(d: float, z: float) -> float:
    """Images of images (Smythe § 5.08)."""
    away = acosh(2 * z / d)
    total, n = 0.0, 1
    while True:
        term = 1 / sinh(n * away) if n * away < 700 else 0.0
        total += term
        if term <= 1e-17 * total:
            return 2 * pi * d * sinh(away) * total
        n += 1


def _spheroid(along: float, across: float) -> float:
    """Of semi-axes: one along the axis, two across (Smythe § 5.02)."""
    if isclose(along, across, rel_tol=1e-6):
        return 4 * pi * (along + 2 * across) / 3
    if along > across:
        focus = sqrt(along**2 - across**2)
        return 4 * pi * focus / atanh(focus / along)
    focus = sqrt(across**2 - along**2)
    return 4 * pi * focus / acos(along / across)


#: Steps of the arithmetic-geometric mean: digits double with each, after some for moduli of 1e-150.
_MEANS = 16
#: Of a strip on a slab, from where its two edges do not feel each other.
_WIDE = 100.0


def _ratio(k: float, k_other: float) -> float:
    """K(k)/K(k') by the arithmetic-geometric mean, of a modulus and its complement, either of which may be small."""

    def mean(b: float) -> float:
        a = 1.0
        for _ in range(_MEANS):
            a, b = (a + b) / 2, sqrt(a * b)
        return a

    return mean(k) / mean(k_other)  # K(k) = π / (2 M(1, k'))


def _strip_on_slab(w: float, t: float, length: float) -> float:
    reach = pi * w / (4 * t)
    if reach > _WIDE:  # the modulus is one to the last digit
        return 4 / pi * length * (reach + log(2))
    return 2 * length * _ratio(tanh(reach), 1 / cosh(reach))


def _coplanar_strips(w: float, g: float, length: float) -> float:
    k = g / (g + 2 * w)
    return length / 2 * _ratio(sqrt(1 - k**2), k)


def _square_in_square(outer: float, inner: float, length: float) -> float:
    """Four walls, and the bends where they meet."""
    return 4 * length * (2 * inner / (outer - inner) + _BEND)


def _row_below_plane(d: float, z: float, s: float, length: float) -> float:
    """Of lines, with the moment that heat past each of the row gives it; next terms go with the fourth power of D/s."""
    lines = log(s / (pi * d)) + 2 * pi * z / s + log1p(-exp(-4 * pi * z / s))
    return 2 * pi * length / (lines - (pi * d / (2 * s) / tanh(2 * pi * z / s)) ** 2)


_INCROPERA, _SMYTHE, _CONFORMAL = "Incropera table 4.1", "Smythe", "Conformal"
_ANY = "any lengths"
SHAPE_FACTORS = (
    Entry(
        "shape_wall",
        "a plane wall of a thickness and two sides",
        ("thickness", "a", "b"),
        lambda t, a, b: a * b / t,
        _ANY,
        lambda t, a, b: True,
        "exact",
        _INCROPERA,
        (200, 1000, 1000),
    ),
    Entry(
        "shape_hollow_cylinder",
        "a hollow cylinder, inner and outer diameter",
        ("d", "D", "length"),
        lambda d, o, length: 2 * pi * length / log(o / d),
        "d below D",
        lambda d, o, length: d < o,
        "exact",
        _INCROPERA,
        (60, 160, 1000),
    ),
    Entry(
        "shape_hollow_sphere",
        "a hollow sphere, inner and outer diameter",
        ("d", "D"),
        lambda d, o: 2 * pi / (1 / d - 1 / o),
        "d below D",
        lambda d, o: d < o,
        "exact",
        _INCROPERA,
        (60, 160),
    ),
    Entry(
        "shape_eccentric_cylinders",
        "a round bore beside the middle of a cylinder, z the distance of the axes",
        ("d", "D", "z", "length"),
        lambda d, o, z, length: 2 * pi * length / acosh((o**2 + d**2 - 4 * z**2) / (2 * o * d)),
        "d + 2 z below D",
        lambda d, o, z, length: d + 2 * z < o,
        "exact",
        _INCROPERA,
        (60, 160, 20, 1000),
    ),
    Entry(
        "shape_cylinder_in_square",
        "a round bore in the middle of a square bar",
        ("D", "side", "length"),
        lambda d, w, length: 2 * pi * length / log(1.08 * w / d),
        "a side above 1.5 D",
        lambda d, w, length: w > 1.5 * d,
        "to 1 %",
        _INCROPERA,
        (60, 160, 1000),
    ),
    Entry(
        "shape_square_in_square",
        "a square channel in a square bar, outer and inner side",
        ("W", "w", "length"),
        _square_in_square,
        "W between w and 3 w",
        lambda outer, inner, length: inner < outer <= 3 * inner,
        "to 1 %, thinner walls far better",
        _CONFORMAL,
        (300, 150, 1000),
    ),
    Entry(
        "shape_wall_edge",
        "the edge where two walls of a thickness meet, beyond their inner faces",
        ("thickness", "length"),
        lambda t, length: _BEND * length,
        "walls longer than three times their thickness",
        lambda t, length: True,
        "exact",
        _CONFORMAL,
        (200, 1000),
    ),
    Entry(
        "shape_wall_corner",
        "the corner where three walls of a thickness meet, beyond their edges",
        ("thickness",),
        lambda t: _CORNER * t,
        "edges longer than three times the thickness",
        lambda t: True,
        "to 3 %",
        _INCROPERA,
        (200,),
    ),
    Entry(
        "shape_cylinder_below_plane",
        "a long cylinder under an isothermal plane, z to its axis",
        ("D", "z", "length"),
        lambda d, z, length: 2 * pi * length / acosh(2 * z / d),
        "2 z above D",
        lambda d, z, length: 2 * z > d,
        "exact for the long one",
        _INCROPERA,
        (120, 450, 1000),
    ),
    Entry(
        "shape_row_below_plane",
        "each of a row of cylinders a spacing s apart, z under an isothermal plane",
        ("D", "z", "s", "length"),
        _row_below_plane,
        "z above 2 D and s above 3 D",
        lambda d, z, s, length: z > 2 * d and s > 3 * d,
        "to 1 %",
        "Hahne & Grigull",
        (40, 300, 200, 1000),
    ),
    Entry(
        "shape_cylinder_between_planes",
        "a cylinder midway between two isothermal planes, z to each",
        ("D", "z", "length"),
        lambda d, z, length: 2 * pi * length / log(8 * z / (pi * d)),
        "z above D",
        lambda d, z, length: z > d,
        "to 1 %",
        _INCROPERA,
        (60, 150, 1000),
    ),
    Entry(
        "shape_two_cylinders",
        "two long parallel cylinders in a large body, z the distance of the axes",
        ("D_1", "D_2", "z", "length"),
        lambda a, b, z, length: 2 * pi * length / acosh((4 * z**2 - a**2 - b**2) / (2 * a * b)),
        "2 z above D_1 + D_2",
        lambda a, b, z, length: 2 * z > a + b,
        "exact for long ones",
        _INCROPERA,
        (60, 80, 200, 1000),
    ),
    Entry(
        "shape_upright_cylinder",
        "a rod upright in a half-space, its end in the surface",
        ("D", "length"),
        lambda d, length: 2 * pi * length / log(4 * length / d),
        "a length above 5 D",
        lambda d, length: length > 5 * d,
        "to some per cent",
        _INCROPERA,
        (60, 1000),
    ),
    Entry(
        "shape_sphere",
        "a sphere in a large body",
        ("D",),
        lambda d: 2 * pi * d,
        _ANY,
        lambda d: True,
        "exact",
        _INCROPERA,
        (100,),
    ),
    Entry(
        "shape_sphere_below_plane",
        "a sphere under an isothermal plane, z to its middle",
        ("D", "z"),
        _sphere_below_plane,
        "2 z above D",
        lambda d, z: 2 * z > d,
        "exact",
        _SMYTHE,
        (100, 150),
    ),
    Entry(
        "shape_two_spheres",
        "two equal spheres in a large body, z the distance of the middles",
        ("D", "z"),
        lambda d, z: _sphere_below_plane(d, z / 2) / 2,
        "z above D",
        lambda d, z: z > d,
        "exact",
        _SMYTHE,
        (100, 300),
    ),
    Entry(
        "shape_spheroid",
        "a spheroid in a large body, its length along the axis and its diameter",
        ("length", "D"),
        lambda along, across: _spheroid(along / 2, across / 2),
        _ANY,
        lambda along, across: True,
        "exact",
        _SMYTHE,
        (300, 100),
    ),
    Entry(
        "shape_disc",
        "a thin disc in a large body, both sides",
        ("D",),
        lambda d: 4 * d,
        _ANY,
        lambda d: True,
        "exact",
        _SMYTHE,
        (100,),
    ),
    Entry(
        "shape_disc_on_surface",
        "a disc on a half-space that is insulated around it",
        ("D",),
        lambda d: 2 * d,
        _ANY,
        lambda d: True,
        "exact",
        _INCROPERA,
        (100,),
    ),
    Entry(
        "shape_plate_on_surface",
        "a rectangular plate on a half-space that is insulated around it",
        ("length", "width"),
        lambda a, b: pi * a / log(4 * a / b),
        "a length not below the width",
        lambda a, b: a >= b,
        "to 2 %",
        _INCROPERA,
        (400, 100),
    ),
    Entry(
        "shape_strip_on_slab",
        "a strip w wide on a slab of a thickness whose other side is isothermal",
        ("w", "thickness", "length"),
        _strip_on_slab,
        _ANY,
        lambda w, t, length: True,
        "exact for the wide slab",
        _CONFORMAL,
        (100, 80, 1000),
    ),
    Entry(
        "shape_two_strips",
        "two strips w wide and a gap g apart on a half-space",
        ("w", "g", "length"),
        _coplanar_strips,
        _ANY,
        lambda w, g, length: True,
        "exact for long ones",
        _CONFORMAL,
        (100, 50, 1000),
    ),
)
