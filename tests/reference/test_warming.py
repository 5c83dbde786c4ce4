"""Exact solutions in time: they obey the equation and their sides, keep the books, and agree with published roots."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.reference.in_layers.changing import Swing
from blunt_ember.reference.in_layers.half_space import HalfSpace
from blunt_ember.reference.in_layers.modes import POWER, BodyForm, Stack, modes_of
from blunt_ember.reference.in_layers.warming import Warming, WarmingLayer, one_layer
from blunt_ember.reference.lumped import Lumped
from blunt_ember.reference.side import Side

K, A = 2.0, 1e-6
HELD, FILM, WEAK = Side(held=300.0), Side(h=30.0, fluid=290.0, flux=40.0), Side(h=0.05, fluid=290.0)
FLUX, IDLE = Side(flux=-500.0), Side()


def bodies() -> list[Any]:
    found = []
    for form, start, end in (
        ("wall", 0.01, 0.06),
        ("cylinder", 0.0, 0.03),
        ("sphere", 0.0, 0.03),
        ("sphere", 0.01, 0.03),
        ("cylinder", 0.01, 0.03),
    ):
        inner = [IDLE] if form != "wall" and start == 0 else [IDLE, Side(held=350.0), Side(h=50.0, fluid=400.0), FLUX]
        for first in inner:
            found += [
                pytest.param(form, start, end, first, last, id=f"{form}-{start}-{inner.index(first)}-{number}")
                for number, last in enumerate((HELD, FILM, WEAK, FLUX))
            ]
    return found


@pytest.mark.one_in(3)
@pytest.mark.parametrize("swing", [None, Swing(30.0, 2 * np.pi / 500, 0.3)])
@pytest.mark.parametrize(("form", "start", "end", "inner", "outer"), bodies())
def test_the_series_obeys_the_equation_its_sides_and_the_balance(
    form: Any, start: float, end: float, inner: Side, outer: Side, swing: Swing | None
) -> None:
    if swing is not None and outer is FLUX:
        swing = None
    body = Warming(form, start, (WarmingLayer(end, K, A, 320.0, generation=1e4),), (inner, outer), (None, swing))
    volume = (end ** (POWER[form] + 1) - start ** (POWER[form] + 1)) / (POWER[form] + 1)
    length, power = end - start, POWER[form]
    t = 0.05 * length**2 / A
    s, step, lapse = np.linspace(start + 0.1 * length, end - 0.1 * length, 7), 1e-3 * length, 1e-3 * t

    def temperature(places: Any, time: float = t) -> Any:
        return body.temperature_at(np.atleast_1d(places), time)

    bend = (temperature(s + step) - 2 * temperature(s) + temperature(s - step)) / step**2
    bend = bend + power / s * (temperature(s + step) - temperature(s - step)) / (2 * step)
    rate = (temperature(s, t + lapse) - temperature(s, t - lapse)) / (2 * lapse)
    assert np.abs(rate - A * (bend + 1e4 / K)).max() < 4e-4 * np.abs(rate).max()
    flux = body.flux_in(t)
    for place, at, out in ((0, start, -1), (1, end, 1)):
        if power and at == 0:
            continue
        h = 1e-5 * length
        near = temperature(np.array([at, at - out * h, at - 2 * out * h]))
        sent = K * (3 * near[0] - 4 * near[1] + near[2]) / (2 * h)  # by conduction, towards the face
        assert sent == pytest.approx(flux[place], abs=2e-3 * (abs(flux[place]) + 1))
        side = body.sides[place]
        swung = swing.amplitude * np.sin(swing.rate * t + swing.phase) if swing is not None and place else 0.0
        if side.held is not None:
            assert near[0] == pytest.approx(side.held + swung, abs=1e-9)
    gained = (body.gained_at(t + lapse) - body.gained_at(t - lapse)) / (2 * lapse)
    came = sum(each * at**power for each, at in zip(flux, (start, end), strict=True) if power == 0 or at > 0)
    assert gained == pytest.approx(came + 1e4 * volume, abs=3e-5 * (abs(came) + abs(gained) + 1e-9))
    rule, weight = np.polynomial.legendre.leggauss(12)
    spans = np.geomspace(0.02 * t, t, 4)
    for place, area in ((0, start**power), (1, end**power)):
        passed = sum(
            (high - low) / 2 * w * body.flux_in(low + (high - low) * (1 + x) / 2)[place] * area
            for low, high in pairwise(spans)
            for x, w in zip(rule, weight, strict=True)
        )
        told = body.passed_at(place, t) - body.passed_at(place, spans[0])
        assert told == pytest.approx(0.0 if power and start == 0 and place == 0 else passed, rel=1e-6, abs=1e-6)
    middle = np.array([start + length / 2])
    early = 1e-4 * length**2 / A
    assert temperature(middle, early)[0] == pytest.approx(320.0 + 1e4 / K * A * early, abs=1e-6)


def test_roots_agree_with_published_ones() -> None:
    # Incropera et al. (2007), table 5.1: first roots for plane wall, cylinder and sphere.
    for biot, wall, cylinder, sphere in (
        (0.1, 0.3111, 0.4417, 0.5423),
        (1.0, 0.8603, 1.2558, 1.5708),
        (10.0, 1.4289, 2.1795, 2.8363),
        (100.0, 1.5552, 2.3809, 3.1102),
    ):
        assert first_root("wall", biot) == pytest.approx(wall, abs=6e-5)
        assert first_root("cylinder", biot) == pytest.approx(cylinder, abs=6e-5)
        assert first_root("sphere", biot) == pytest.approx(sphere, abs=6e-5)
    tiny = 1e-9  # lumped: λ² = 3 Bi of a sphere, in all digits
    assert first_root("sphere", tiny) ** 2 == pytest.approx(3 * tiny, rel=1e-9)


def first_root(form: BodyForm, biot: float) -> float:
    return float(modes_of(Stack(form, (0.0, 1.0), (1.0,), (1.0,), (), (0.0, biot)), 3).roots[0])


def test_a_deep_body_is_a_half_space_until_heat_reaches_its_far_side() -> None:
    depth, places = 0.5, np.linspace(0.0, 0.15, 9)
    for side in (Side(held=500.0), Side(flux=2000.0), Side(h=40.0, fluid=600.0)):
        deep = HalfSpace(K, A, side, 300.0, depth)
        wall = one_layer("wall", 0.0, depth, K, A, (side, IDLE), 300.0)
        for t in (10.0, 600.0, 2000.0):
            assert deep.temperature_at(places, t) == pytest.approx(wall.temperature_at(places, t), abs=1e-7)
            assert deep.flux_in(t) == pytest.approx(wall.flux_in(t)[0], rel=1e-9)
            assert deep.passed(t) == pytest.approx(wall.gained_at(t), rel=1e-9)
    with pytest.raises(ReferenceRefusedError, match="far side"):
        HalfSpace(K, A, Side(held=500.0), 300.0, 0.1).require_depth(3000.0)


def test_a_lumped_body_radiates_as_its_closed_form_says() -> None:
    area, capacity, emissivity, around = 2e-5, 0.03, 0.8, 303.15
    body = Lumped(capacity, 1453.15, ((area, Side(radiation=((emissivity, around),))),), 0.0, 400.0)
    b = emissivity * 5.670374419e-8 * area / capacity

    def when(temperature: float) -> float:
        def part(value: float) -> float:
            return np.log((value + around) / (value - around)) + 2 * np.arctan(value / around)

        return float((part(temperature) - part(1453.15)) / (4 * b * around**3))

    for temperature in (1200.0, 800.0, 400.0):
        assert body.at(when(temperature)) == pytest.approx(temperature, rel=1e-10)
    films = Lumped(capacity, 400.0, ((area, Side(h=50.0, fluid=300.0)),), 0.01, 400.0)
    assert films.at(1e9) == pytest.approx(300.0 + 0.01 / (50.0 * area), rel=1e-12)
