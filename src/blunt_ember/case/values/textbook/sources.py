"""Heat that arises at a point, along a line …, in a large body: by how much it warms a place.

Source: H. S. Carslaw & J. C. Jaeger, *Conduction of Heat in Solids*, 2nd ed. (1959), chapter X. Q are watts (of a line
per metre, of a plane per square metre), E joules that are set free at once, k the conductivity, a the diffusivity, r
the distance, t the time since. Nothing is warm before. At the surface of a half-space that is insulated otherwise it is
twice as much; what is held or insulated elsewhere is met by images, a term each, as it is here below a plane and in a
slab, whose faces stay as they are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from blunt_ember.case.values.special_functions import ellipe, ellipk, erf, erfc, exp1, i0e, k0
from blunt_ember.case.values.textbook.entry import Entry
from blunt_ember.case.values.units import (
    CONDUCTIVITY,
    HEAT,
    HEAT_FLOW,
    HEAT_FLOW_PER_LENGTH,
    HEAT_FLUX,
    HEAT_PER_AREA,
    HEAT_PER_LENGTH,
    TEMPERATURE_DIFFERENCE,
    TIME,
    Kind,
)

DIFFUSIVITY = Kind("a diffusivity", "m**2/s", "5e-7 m²/s", "m²/s")
SPEED = Kind("a speed", "m/s", "2 mm/s", "m/s")
#: Terms of the series of a slab: each is less than the one before by exp(−π r/thickness).
_TERMS = np.arange(1, 401)


def _since(t: Any, warmed: Callable[[Any], Any]) -> Any:
    """What is warmed at a time after the start; before it nothing is."""
    late = np.asarray(t) > 0
    return np.where(late, warmed(np.where(late, t, 1.0)), 0.0)


def _point(q: Any, k: Any, r: Any) -> Any:
    return q / (4 * np.pi * k * r)


def _point_since(q: Any, k: Any, a: Any, r: Any, t: Any) -> Any:
    return _since(t, lambda late: _point(q, k, r) * erfc(r / np.sqrt(4 * a * late)))


def _point_pulse(e: Any, k: Any, a: Any, r: Any, t: Any) -> Any:
    return _since(t, lambda late: e * a / k / (4 * np.pi * a * late) ** 1.5 * np.exp(-(r**2) / (4 * a * late)))


def _line_since(q: Any, k: Any, a: Any, r: Any, t: Any) -> Any:
    return _since(t, lambda late: q / (4 * np.pi * k) * exp1(r**2 / (4 * a * late)))


def _line_pulse(e: Any, k: Any, a: Any, r: Any, t: Any) -> Any:
    return _since(t, lambda late: e / (4 * np.pi * k * late) * np.exp(-(r**2) / (4 * a * late)))


def _plane_since(q: Any, k: Any, a: Any, r: Any, t: Any) -> Any:
    def warmed(late: Any) -> Any:
        reach = np.sqrt(4 * a * late)
        return q / (2 * k) * (reach / np.sqrt(np.pi) * np.exp(-((r / reach) ** 2)) - r * erfc(r / reach))

    return _since(t, warmed)


def _plane_pulse(e: Any, k: Any, a: Any, r: Any, t: Any) -> Any:
    return _since(t, lambda late: e * a / k / np.sqrt(4 * np.pi * a * late) * np.exp(-(r**2) / (4 * a * late)))


def _ring(q: Any, k: Any, radius: Any, r: Any, z: Any) -> Any:
    far = (r + radius) ** 2 + z**2
    return q / (2 * np.pi**2 * k * np.sqrt(far)) * ellipk(4 * r * radius / far)


def _disc(q: Any, k: Any, radius: Any, r: Any) -> Any:
    """At its own surface, of a flux that is even."""
    inside = np.minimum(r / radius, 1.0) ** 2
    outside = np.minimum(radius / np.maximum(r, 1e-300), 1.0) ** 2
    beyond = r * (ellipe(outside) - (1 - outside) * np.where(outside < 1, ellipk(np.minimum(outside, 1 - 1e-16)), 0.0))
    return 2 * q / (np.pi * k) * np.where(r <= radius, radius * ellipe(inside), beyond)


def _ball(q: Any, k: Any, radius: Any, r: Any) -> Any:
    within = np.minimum(r / radius, 1.0)
    return np.where(r <= radius, q / (8 * np.pi * k * radius) * (3 - within**2), _point(q, k, np.maximum(r, radius)))


def _in_slab(q: Any, k: Any, thickness: Any, z_source: Any, r: Any, z: Any) -> Any:
    n = np.pi / thickness * _TERMS.reshape(-1, *(1,) * np.ndim(np.asarray(r) + np.asarray(z)))
    return q / (np.pi * k * thickness) * (np.sin(n * z) * np.sin(n * z_source) * k0(n * r)).sum(axis=0)


def _ring_pulse(e: Any, k: Any, a: Any, radius: Any, r: Any, z: Any, t: Any) -> Any:
    def warmed(late: Any) -> Any:
        near = np.exp(-((r - radius) ** 2 + z**2) / (4 * a * late))
        return e * a / k / (4 * np.pi * a * late) ** 1.5 * near * i0e(r * radius / (2 * a * late))

    return _since(t, warmed)


def _ball_pulse(e: Any, k: Any, a: Any, radius: Any, r: Any, t: Any) -> Any:
    def warmed(late: Any) -> Any:
        reach = np.sqrt(4 * a * late)
        apart = np.maximum(r, 1e-6 * radius)  # in the middle the difference below goes with r itself
        low, high = (radius - apart) / reach, (radius + apart) / reach
        leaks = reach / (2 * np.sqrt(np.pi) * apart) * np.exp(-(low**2)) * -np.expm1(low**2 - high**2)
        return e * a / k / (4 / 3 * np.pi * radius**3) * ((erf(low) + erf(high)) / 2 - leaks)

    return _since(t, warmed)


def _shell(q: Any, k: Any, radius: Any, r: Any) -> Any:
    return _point(q, k, np.maximum(r, radius))


def _shell_since(q: Any, k: Any, a: Any, radius: Any, r: Any, t: Any) -> Any:
    apart = np.maximum(r, 1e-6 * radius)
    even = q / (4 * np.pi * apart * radius)
    return _plane_since(even, k, a, np.abs(apart - radius), t) - _plane_since(even, k, a, apart + radius, t)


def _disc_since(q: Any, k: Any, a: Any, radius: Any, z: Any, t: Any) -> Any:
    return 2 * (_plane_since(q, k, a, z, t) - _plane_since(q, k, a, np.hypot(z, radius), t))


def _below_plane(q: Any, k: Any, depth: Any, r: Any, z: Any) -> Any:
    return _point(q, k, np.hypot(r, z - depth)) - _point(q, k, np.hypot(r, z + depth))


def _line_below_plane(q: Any, k: Any, depth: Any, x: Any, z: Any) -> Any:
    return q / (2 * np.pi * k) * np.log(np.hypot(x, z + depth) / np.hypot(x, z - depth))


def _line_in_slab(q: Any, k: Any, thickness: Any, z_source: Any, x: Any, z: Any) -> Any:
    # cosh(u) − cos(v) = 2 (sinh²(u/2) + sin²(v/2)), over exp(u) so that nothing overflows.
    u = np.pi * np.abs(x) / thickness

    def off(place: Any) -> Any:
        return (np.expm1(-u) / 2) ** 2 + np.exp(-u) * np.sin(np.pi * place / (2 * thickness)) ** 2

    return q / (4 * np.pi * k) * np.log(off(z + z_source) / off(z - z_source))


def _pulse_in_slab(e: Any, k: Any, a: Any, thickness: Any, z_source: Any, r: Any, z: Any, t: Any) -> Any:
    """A pulse along the slab times one across it, by images or, later, by the modes that are left."""

    def warmed(late: Any) -> Any:
        n = np.pi / thickness * _TERMS.reshape(-1, *(1,) * np.ndim(np.asarray(z) + np.asarray(late)))
        left = np.sin(n * z) * np.sin(n * z_source) * np.exp(-(n**2) * a * late)
        modes = 2 / thickness * left.sum(axis=0)
        images = 0.0
        for turn in range(-3, 4):
            near, far = (
                np.exp(-((z + way * z_source + 2 * turn * thickness) ** 2) / (4 * a * late)) for way in (-1, 1)
            )
            images = images + (near - far) / np.sqrt(4 * np.pi * a * late)
        across = np.where(a * late > 0.1 * thickness**2, modes, images)
        return _line_pulse(e, k, a, r, late) * across

    return _since(t, warmed)


def _moving_point(q: Any, k: Any, a: Any, speed: Any, ahead: Any, aside: Any) -> Any:
    r = np.hypot(ahead, aside)
    return _point(q, k, r) * np.exp(-speed * (ahead + r) / (2 * a))


def _moving_line(q: Any, k: Any, a: Any, speed: Any, ahead: Any, aside: Any) -> Any:
    r = np.hypot(ahead, aside)
    return q / (2 * np.pi * k) * np.exp(-speed * ahead / (2 * a)) * k0(speed * r / (2 * a))


_COMMON: Mapping[str, Kind] = {"k": CONDUCTIVITY, "a": DIFFUSIVITY, "t": TIME, "speed": SPEED}


#: Arguments that are above zero in all of these.
_ABOVE = ("k", "a", "speed", "radius", "thickness", "depth")


def _entry(
    name: str,
    words: str,
    formula: Callable[..., Any],
    arguments: str,
    strength: Kind,
    example: tuple[float, ...],
    must: str = "what the body is made of above zero, and distances from zero on",
    more: Callable[..., bool] = lambda *given: True,
) -> Entry:
    names = tuple(arguments.split())
    kinds = {names[0]: strength, **{key: kind for key, kind in _COMMON.items() if key in names}}

    def holds(*given: Any) -> bool:
        stated = dict(zip(names, given, strict=True))
        above = all(np.all(np.asarray(stated[name]) > 0) for name in _ABOVE if name in stated)
        away = not np.any(np.asarray(stated.get("r", 0.0)) < 0)
        return above and away and more(*given)

    source, exactness = "Carslaw & Jaeger ch. X", "exact"
    return Entry(
        name, words, names, formula, must, holds, exactness, source, example, kinds, TEMPERATURE_DIFFERENCE, True
    )


def _within_slab(q: Any, k: Any, thickness: Any, z_source: Any, r: Any, z: Any) -> bool:
    return bool(np.all((z_source > 0) & (z_source < thickness) & (np.asarray(r) > thickness / 50)))


def _off_line(q: Any, k: Any, thickness: Any, z_source: Any, x: Any, z: Any) -> bool:
    within = np.all((z_source > 0) & (z_source < thickness))
    return bool(within and np.all((np.asarray(x) != 0) | (np.asarray(z) != z_source)))


def _between_faces(e: Any, k: Any, a: Any, thickness: Any, z_source: Any, r: Any, z: Any, t: Any) -> bool:
    return bool(np.all((z_source > 0) & (z_source < thickness)))


_IN_SLAB = "z_source within the thickness and r above a fiftieth of it"
_POINT, _LINE, _PLANE = (0.5, 4e-7, 50, 3600), (0.5, 4e-7, 20, 600), (0.5, 4e-7, 20, 600)
_BURIED, _SLAB = (0.5, 60, 40, 20), (0.5, 100, 40, 30, 50)
_SINCE, _PULSE, _MOVING = "Q k a r t", "E k a r t", "Q k a speed ahead aside"
_TORCH = (30, 8e-6, 0.002, 5, 3)
SOURCES = (
    _entry("point_source", "a point in a large body, steady", _point, "Q k r", HEAT_FLOW, (20, 0.5, 50)),
    _entry("point_source_since", "a point that heats from t = 0 on", _point_since, _SINCE, HEAT_FLOW, (20, *_POINT)),
    _entry("point_pulse", "heat set free at a point at t = 0", _point_pulse, _PULSE, HEAT, (5, *_POINT)),
    _entry(
        "line_source_since", "a line that heats from t = 0 on", _line_since, _SINCE, HEAT_FLOW_PER_LENGTH, (15, *_LINE)
    ),
    _entry("line_pulse", "heat set free along a line at t = 0", _line_pulse, _PULSE, HEAT_PER_LENGTH, (50, *_LINE)),
    _entry(
        "plane_source_since",
        "a plane that heats both sides from t = 0 on",
        _plane_since,
        _SINCE,
        HEAT_FLUX,
        (300, *_PLANE),
    ),
    _entry("plane_pulse", "heat set free in a plane at t = 0", _plane_pulse, _PULSE, HEAT_PER_AREA, (500, *_PLANE)),
    _entry(
        "ring_source",
        "a ring of a radius, r from its axis and z from its plane",
        _ring,
        "Q k radius r z",
        HEAT_FLOW,
        (20, 0.5, 50, 20, 10),
    ),
    _entry(
        "disc_source",
        "an even flux into a half-space through a disc, on its surface r from the middle",
        _disc,
        "Q k radius r",
        HEAT_FLUX,
        (800, 0.5, 50, 20),
    ),
    _entry("ball_source", "even heat in a ball", _ball, "Q k radius r", HEAT_FLOW, (20, 0.5, 50, 20)),
    _entry("shell_source", "heat on a sphere", _shell, "Q k radius r", HEAT_FLOW, (20, 0.5, 50, 20)),
    _entry(
        "shell_source_since",
        "a sphere on which heat arises from t = 0 on",
        _shell_since,
        "Q k a radius r t",
        HEAT_FLOW,
        (20, 0.5, 4e-7, 50, 20, 3600),
    ),
    _entry(
        "ball_pulse",
        "heat set free evenly in a ball at t = 0",
        _ball_pulse,
        "E k a radius r t",
        HEAT,
        (5000, 0.5, 4e-7, 50, 20, 3600),
    ),
    _entry(
        "ring_pulse",
        "heat set free along a ring at t = 0, r from its axis and z from its plane",
        _ring_pulse,
        "E k a radius r z t",
        HEAT,
        (5000, 0.5, 4e-7, 50, 20, 10, 3600),
    ),
    _entry(
        "disc_source_since",
        "an even flux into a half-space through a disc from t = 0 on, z below its middle",
        _disc_since,
        "Q k a radius z t",
        HEAT_FLUX,
        (800, 0.5, 4e-7, 50, 20, 3600),
    ),
    _entry(
        "point_source_below_plane",
        "a point below a plane that stays as it is, r beside it and z below the plane",
        _below_plane,
        "Q k depth r z",
        HEAT_FLOW,
        (20, *_BURIED),
    ),
    _entry(
        "line_source_below_plane",
        "a line below a plane that stays as it is, x beside it and z below the plane",
        _line_below_plane,
        "Q k depth x z",
        HEAT_FLOW_PER_LENGTH,
        (15, *_BURIED),
    ),
    _entry(
        "line_source_in_slab",
        "a line in a slab whose faces stay as they are, x beside it and z from one of them",
        _line_in_slab,
        "Q k thickness z_source x z",
        HEAT_FLOW_PER_LENGTH,
        (15, *_SLAB),
        "z_source within the thickness, off the line itself",
        _off_line,
    ),
    _entry(
        "point_pulse_in_slab",
        "heat set free at a point in a slab whose faces stay as they are",
        _pulse_in_slab,
        "E k a thickness z_source r z t",
        HEAT,
        (5000, 0.5, 4e-7, 100, 40, 30, 50, 3600),
        "z_source within the thickness",
        _between_faces,
    ),
    _entry(
        "point_source_in_slab",
        "a point in a slab whose faces stay as they are, z from one of them",
        _in_slab,
        "Q k thickness z_source r z",
        HEAT_FLOW,
        (20, 0.5, 100, 40, 30, 50),
        _IN_SLAB,
        _within_slab,
    ),
    _entry(
        "moving_point_source",
        "a point that has moved for long, so far ahead of it and aside",
        _moving_point,
        _MOVING,
        HEAT_FLOW,
        (900, *_TORCH),
    ),
    _entry(
        "moving_line_source",
        "a line that has moved for long, so far ahead of it and aside",
        _moving_line,
        _MOVING,
        HEAT_FLOW_PER_LENGTH,
        (9000, *_TORCH),
    ),
)
