"""Layers that warm: each obeys its equation, they meet as their contacts say, no mode is missed, the start is met."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.linalg import eigh

from blunt_ember.case.values.laws import constant_law
from blunt_ember.case.values.units import CONDUCTIVITY
from blunt_ember.errors import ReferenceRefusedError
from blunt_ember.reference.in_layers.brackets import roots_between
from blunt_ember.reference.in_layers.changing import Course, Swing
from blunt_ember.reference.in_layers.fluxed import Fluxed
from blunt_ember.reference.in_layers.layers import Layers, ReferenceLayer
from blunt_ember.reference.in_layers.modes import POWER, Stack
from blunt_ember.reference.in_layers.warming import Warming, WarmingLayer, one_layer
from blunt_ember.reference.side import Side

FORMS = [("wall", 0.3), ("cylinder", 0.0), ("cylinder", 0.02), ("sphere", 0.0), ("sphere", 0.05)]
IDLE = Side()


def stacked(form: Any, start: float, seed: int, idle: bool = False) -> Warming:
    """Three layers that differ by orders, with contacts between them; swings, courses and formulas in turn."""
    random = np.random.default_rng(seed)
    ends = start + np.cumsum(10 ** random.uniform(-3, -1, 3))
    layers = []
    for place, end in enumerate(ends):
        k, capacity = 10 ** random.uniform(-1.5, 2), 10 ** random.uniform(4, 6.6)
        first: Any = float(random.uniform(280, 900))
        if place == 1 and seed % 2:
            low, high = ends[0], ends[1]

            def first(s: Any, low: float = low, high: float = high) -> Any:
                return 400 + 150 * np.sin(3 * (s - low) / (high - low)) ** 2

        contact = 0.0 if seed % 3 == 0 else 10 ** random.uniform(-5, -1)
        generation = 0.0 if seed % 4 == 0 else random.uniform(-1e4, 1e5)
        layers.append(WarmingLayer(float(end), float(k), float(k / capacity), first, generation, contact))
    offered = [Side(held=350.0), Side(h=12.0, fluid=500.0, flux=300.0), Side(flux=700.0), Side(h=0.01, fluid=280.0)]
    solid = form != "wall" and start == 0
    inner = IDLE if solid else offered[random.integers(4)]
    outer = offered[random.integers(2)]
    changes: list[Any] = [
        None,
        [None, Swing(40.0, 2 * np.pi / 900, 0.4), Course((0, 300, 300, 1e4), (5, 60, 20, 90))][seed % 3],
    ]
    if idle:
        inner, outer, changes = (IDLE if solid else Side(flux=200.0)), Side(flux=-50.0), [None, None]
    return Warming(form, start, tuple(layers), (inner, outer), (changes[0], changes[1]))


@pytest.mark.one_in(2)
@pytest.mark.parametrize(("seed", "idle"), [(1, False), (2, False), (3, False), (4, True)])
@pytest.mark.parametrize(("form", "start"), FORMS)
def test_layers_obey_their_equations_their_contacts_and_their_sides(
    form: Any, start: float, seed: int, idle: bool
) -> None:
    body = stacked(form, start, seed, idle)
    power, lines, swap = POWER[form], body.stack.lines, 1000.0
    slowest = 1 / body.stack.roots(2)[-1] ** 2
    t = min(0.3 * slowest, 5e4)
    t += 7.0 if abs(t - 300.0) < 5 or abs(t - 1e4) < 5 else 0.0
    scale = np.ptp([body.temperature_at(np.array([s]), t)[0] for s in np.linspace(lines[0], lines[-1], 30)]) + 1.0
    for layer, each in enumerate(body.layers):
        low, high = lines[layer : layer + 2]
        step, lapse = 0.02 * (high - low), 1e-3 * min(t, swap)
        s = np.linspace(low + 0.1 * (high - low), high - 0.1 * (high - low), 5)

        def at(places: Any, time: float = t, layer: int = layer) -> Any:
            return body.temperature_at(np.atleast_1d(places), time, layer)

        def slopes(places: Any, step: float = step) -> tuple[Any, Any]:
            far, near = at(places + 2 * step) - at(places - 2 * step), at(places + step) - at(places - step)
            sums = at(places + 2 * step) + at(places - 2 * step), at(places + step) + at(places - step)
            return (8 * near - far) / (12 * step), (16 * sums[1] - sums[0] - 30 * at(places)) / (12 * step**2)

        first, second = slopes(s)
        lapsed = at(s, t + lapse) - at(s, t - lapse), at(s, t + 2 * lapse) - at(s, t - 2 * lapse)
        rate = (8 * lapsed[0] - lapsed[1]) / (12 * lapse)
        bend = second + power / s * first + each.generation / each.k
        bent = each.diffusivity * (scale + np.ptp(at(s))) / (high - low) ** 2
        assert np.abs(rate - each.diffusivity * bend).max() < 4e-4 * (bent + np.abs(rate).max())
    flows = [body.flow_at(line, t) for line in range(len(lines))]
    largest = max(np.abs(flows).max(), 1e-3)
    for line in range(1, len(lines) - 1):
        contact, area = body.layers[line - 1].contact, lines[line] ** power
        before, after = (body.temperature_at(np.array([lines[line]]), t, layer)[0] for layer in (line - 1, line))
        assert before - after == pytest.approx(
            contact * flows[line] / area, abs=1e-9 * (scale + contact * largest / area)
        )
    for place, (line, layer) in enumerate(((0, 0), (len(lines) - 1, len(body.layers) - 1))):
        face = body.temperature_at(np.array([lines[line]]), t, layer)[0]
        side, change = body.sides[place], body.changes[place]
        off = 0.0 if change is None else change.at(t)
        if side.held is not None:
            assert face == pytest.approx(side.held + off, abs=1e-8 * scale)
        else:
            met = (side.flux + side.h * (side.fluid + off - face)) * lines[line] ** power
            assert flows[line] * (1 if place == 0 else -1) == pytest.approx(
                met, abs=1e-8 * largest + 1e-9 * side.h * scale
            )
    lapse = 1e-3 * min(t, swap)
    gained = (body.gained_at(t + lapse) - body.gained_at(t - lapse)) / (2 * lapse)
    arising = sum(each.generation * body.stack.volume(layer) for layer, each in enumerate(body.layers))
    assert gained == pytest.approx(flows[0] - flows[-1] + arising, abs=1e-4 * (largest + abs(arising) + abs(gained)))
    met = 0
    for layer, each in enumerate(body.layers):
        early = 2e-3 * (lines[layer + 1] - lines[layer]) ** 2 / each.diffusivity  # the middle knows of nothing yet
        middle = np.array([(lines[layer] + lines[layer + 1]) / 2])
        value = body.temperature_at(middle, early, layer)[0]
        if np.isfinite(value):  # other layers may have too many modes by then
            risen = each.generation * early / body.stack.capacity(layer)
            first = each.start(middle)[0] if callable(each.start) else each.start
            met += 1
            assert value == pytest.approx(first + risen, abs=6.0 if callable(each.start) else 1e-7 * scale)
    assert met


@pytest.mark.parametrize(("form", "start"), FORMS)
@pytest.mark.parametrize("seed", [0, 1, 7])
def test_no_mode_is_missed(form: Any, start: float, seed: int) -> None:
    stack = stacked(form, start, seed, idle=seed == 7).stack
    # Quadratic elements, fine enough for a dozen modes: stiffness and mass, contacts as springs between them.
    cells, nodes = 60, 0
    begins, stiffness, mass = [], np.zeros((3 * 121, 3 * 121)), np.zeros((3 * 121, 3 * 121))
    at, weight = np.polynomial.legendre.leggauss(4)
    shapes = np.stack([at * (at - 1) / 2, 1 - at**2, at * (at + 1) / 2], axis=1)
    slopes = np.stack([at - 0.5, -2 * at, at + 0.5], axis=1)
    for layer in range(3):
        low, high = stack.lines[layer : layer + 2]
        begins.append(nodes)
        step = (high - low) / cells
        for cell in range(cells):
            s = low + step * (cell + (1 + at) / 2)
            own = nodes + 2 * cell + np.arange(3)
            area = weight * s**stack.power
            stiffness[np.ix_(own, own)] += stack.k[layer] * (slopes.T * area) @ slopes * 2 / step
            mass[np.ix_(own, own)] += stack.capacity(layer) * (shapes.T * area) @ shapes * step / 2
        nodes += 121
    tied = np.eye(nodes)
    gone = []
    for layer, contact in enumerate(stack.contacts):
        left, right = begins[layer] + 120, begins[layer + 1]
        if contact:
            spring = stack.area(layer + 1) / contact
            stiffness[np.ix_([left, right], [left, right])] += spring * np.array([[1, -1], [-1, 1]])
        else:
            tied[right, left] = 1.0
            gone.append(right)
    for place, (line, node) in enumerate(((0, 0), (3, nodes - 1))):
        if np.isinf(stack.leaves[place]):
            gone.append(node)
        else:
            stiffness[node, node] += stack.leaves[place] * stack.area(line)
    kept = tied[:, np.setdiff1d(np.arange(nodes), gone)]
    squared = eigh(kept.T @ stiffness @ kept, kept.T @ mass @ kept, eigvals_only=True)[:12]
    roots = stack.roots(12)
    assert roots**2 == pytest.approx(squared, rel=2e-4, abs=1e-9 * squared[-1])
    assert (stack.below((roots[:-1] + roots[1:]) / 2) == np.arange(1, 12)).all()


@pytest.mark.parametrize(("form", "start"), FORMS)
@pytest.mark.parametrize("seed", [0, 1, 7])
def test_every_root_is_found_to_the_last_digits(form: Any, start: float, seed: int) -> None:
    stack = stacked(form, start, seed, idle=seed == 7).stack
    roots = stack.roots(150)
    moving = roots[1:] if stack.rests else roots
    assert (moving > 0).all() and (np.diff(moving) > 0).all()
    apart = np.diff(moving).min() / moving.max() / 3
    number = np.arange(len(roots) - len(moving), len(roots))
    assert (stack.below(moving * (1 - apart)) == number).all() and (
        stack.below(moving * (1 + apart)) == number + 1
    ).all()
    before, after = (np.sign(stack.left_over(moving * (1 + way * 1e-12))) for way in (-1, 1))
    assert (before * after < 0).all()


class Blind(Stack):
    """Layers of which signs never tell where a root is."""

    def left_over(self, root: np.ndarray) -> np.ndarray:
        return np.ones_like(root)


@pytest.mark.parametrize(("form", "start"), FORMS)
def test_where_signs_do_not_tell_roots_are_halved_to_the_last_digits(form: Any, start: float) -> None:
    for seed in (0, 7):
        stack = stacked(form, start, seed, idle=seed == 7).stack
        assert Blind(**vars(stack)).roots(40) == pytest.approx(stack.roots(40), rel=1e-13)


def test_roots_of_any_kind_are_found_between_their_brackets() -> None:
    root = np.array([1e-9, 0.3, 2.0, 7.5, 40.0, 1e6])

    def left(place: np.ndarray) -> np.ndarray:
        away = place - root
        return np.array(
            [
                np.tanh(1e12 * away[0]),
                away[1] ** 3,
                np.expm1(away[2]),
                -away[3],
                np.sign(away[4]),
                away[5] * abs(away[5]),
            ]
        )

    found = roots_between(left, root * 0.2, root * 9.0)
    assert found[[0, 2, 3, 4, 5]] == pytest.approx(root[[0, 2, 3, 4, 5]], rel=4e-16)
    assert found[1] == pytest.approx(root[1], rel=1e-9)  # so flat that a third of the digits do


def test_layers_of_one_material_are_one_layer_and_end_in_the_steady_answer() -> None:
    sides = Side(h=20.0, fluid=400.0), Side(held=300.0)
    for form, start in FORMS:
        met = (IDLE, sides[1]) if form != "wall" and start == 0 else sides
        whole = one_layer(form, start, start + 0.1, 1.5, 1e-6, met, 350.0)
        thirds = tuple(WarmingLayer(start + each, 1.5, 1e-6, 350.0) for each in (0.013, 0.05, 0.1))
        split = Warming(form, start, thirds, met)
        s = np.linspace(start, start + 0.1, 23)
        for t in (30.0, 2000.0):
            assert split.temperature_at(s, t) == pytest.approx(whole.temperature_at(s, t), abs=1e-9)
            assert split.flux_in(t) == pytest.approx(whole.flux_in(t), rel=1e-9, abs=1e-9)
            assert split.gained_at(t) == pytest.approx(whole.gained_at(t), rel=1e-9)
        stated = (0.02, 0.3, 0.01), (0.1, 4.0, 0.0)
        made = tuple(WarmingLayer(start + end, k, 1e-6, 350.0, 2e3, contact) for end, k, contact in stated)
        still = tuple(ReferenceLayer(each.end, constant_law(each.k, CONDUCTIVITY), 2e3, each.contact) for each in made)
        steady = Layers(form, start, still, *met)
        assert Warming(form, start, made, met).temperature_at(s, 1e7) == pytest.approx(
            steady.temperature_at(s), rel=1e-11
        )


def test_a_side_that_goes_on_by_pieces_is_the_sum_of_steps() -> None:
    # Many small steps in place of a ramp: each is a body that starts at nothing and is held at a step of it.
    wall = one_layer("wall", 0.0, 0.04, 2.0, 1e-6, (Side(held=0.0), Side(h=9.0, fluid=0.0)), 0.0)
    ramp = Warming("wall", 0.0, wall.layers, wall.sides, (Course((0.0, 200.0), (0.0, 80.0)), None))
    step = one_layer("wall", 0.0, 0.04, 2.0, 1e-6, (Side(held=1.0), Side(h=9.0, fluid=0.0)), 0.0)
    s = np.linspace(0.0, 0.04, 9)
    at, weight = np.polynomial.legendre.leggauss(60)
    for t in (300.0, 900.0):
        instants = 100.0 * (1 + at)
        summed = sum(0.4 * 100.0 * w * step.temperature_at(s, t - tau) for tau, w in zip(instants, weight, strict=True))
        assert ramp.temperature_at(s, t) == pytest.approx(summed, abs=1e-8)
    jump = Warming("wall", 0.0, wall.layers, wall.sides, (Course((0.0, 50.0, 50.0), (0.0, 0.0, 1.0)), None))
    assert jump.temperature_at(s, 250.0) == pytest.approx(step.temperature_at(s, 200.0), abs=1e-10)
    assert jump.flux_in(250.0) == pytest.approx(step.flux_in(200.0), rel=1e-9)


@pytest.mark.parametrize(("form", "start"), FORMS)
@pytest.mark.parametrize("inner", [Side(held=300.0), Side(h=50.0, fluid=300.0), IDLE])
@pytest.mark.parametrize("outer", [Side(held=290.0), Side(h=20.0, fluid=310.0)])
def test_heat_that_enters_while_a_side_goes_on_is_how_fast_it_has_passed(
    form: Any, start: float, inner: Side, outer: Side
) -> None:
    """Terms of that heat fall with the square of their number only: a few thousand alone tell four digits."""
    solid = form != "wall" and start == 0
    first = Course((0.0, 600.0, 600.0, 2000.0), (0.0, 50.0, 70.0, 20.0))
    idle = solid or inner == IDLE
    changes = None if idle else first, Course((0.0, 900.0, 3000.0), (0.0, -10.0, 40.0))
    layers = (WarmingLayer(start + 0.03, 0.6, 4e-7, 300.0, contact=0.01), WarmingLayer(start + 0.07, 2.0, 9e-7, 280.0))
    warming = Warming(form, start, layers, (IDLE if solid else inner, outer), changes)
    t, step = 1300.0, 0.1
    heat = [flux * warming.stack.area(line) for flux, line in zip(warming.flux_in(t), (0, 2), strict=True)]
    for place in (0, 1):
        after, before = (warming.passed_at(place, t + way) for way in (step, -step))
        assert heat[place] == pytest.approx((after - before) / (2 * step), rel=2e-7, abs=1e-9 * abs(sum(heat)))
    kept = (warming.gained_at(t + step) - warming.gained_at(t - step)) / (2 * step)
    assert sum(heat) == pytest.approx(kept, rel=2e-7)
    inside = Warming(form, start, (layers[0],), (IDLE if solid else inner, Side(h=5.0, fluid=400.0)), changes)
    assert inside.flow_at(1, t) == pytest.approx(-inside.flux_in(t)[1] * inside.stack.area(1), rel=2e-7)


@pytest.mark.one_in(2)
@pytest.mark.parametrize(
    ("form", "start", "inner"),
    [
        ("wall", 0.3, Side(held=300.0)),
        ("wall", 0.3, IDLE),
        ("cylinder", 0.02, Side(h=50.0, fluid=300.0)),
        ("cylinder", 0.0, IDLE),
        ("sphere", 0.05, Side(held=300.0)),
        ("sphere", 0.0, IDLE),
    ],
)
def test_a_flux_that_goes_on_is_the_sum_of_its_steps(form: Any, start: float, inner: Side) -> None:
    """Also where no heat can leave, so that all it does is to warm the layers for ever."""
    solid = form != "wall" and start == 0
    sides = (IDLE if solid else inner), Side(flux=200.0)
    layers = (WarmingLayer(start + 0.03, 0.6, 4e-7, 300.0, 4e3, 0.01), WarmingLayer(start + 0.07, 2.0, 9e-7, 280.0))
    base, unit = Warming(form, start, layers, sides), Warming(form, start, layers, (sides[0], Side(flux=201.0)))
    t, s = 1300.0, np.linspace(start, start + 0.07, 9)
    flux = Fluxed(base, 1, Course((0.0, 500.0, 500.0, 2000.0), (0.0, 250.0, 700.0, 100.0)))
    # The same by steps of two seconds, each in the middle of its own.
    whens = [*np.arange(1, 500, 2), *np.arange(501, t, 2)]
    steps = [*[1.0] * 250, *[-0.8] * 400]
    lags = np.array([*(t - when for when in whens), t - 500.0])
    rises = np.array([*steps, 450.0])

    def of(read: Any) -> Any:
        added = [rise * (read(unit, lag) - read(base, lag)) for rise, lag in zip(rises, lags.tolist(), strict=True)]
        return read(base, t) + np.sum(added, axis=0)

    np.testing.assert_allclose(flux.temperature_at(s, t), of(lambda of, t: of.temperature_at(s, t)), rtol=5e-6)
    assert flux.gained_at(t) == pytest.approx(of(lambda of, t: of.gained_at(t)), rel=5e-6)
    step = 0.05
    kept = (flux.gained_at(t + step) - flux.gained_at(t - step)) / (2 * step)
    made = layers[0].generation * flux.stack.volume(0)
    heat = [each * flux.stack.area(line) for each, line in zip(flux.flux_in(t), (0, 2), strict=True)]
    assert sum(heat) + made == pytest.approx(kept, rel=1e-6)
    assert flux.flux_in(t)[1] == pytest.approx(200.0 + flux.course.at(t), rel=1e-12)
    assert sum(flux.passed_at(place, t) for place in (0, 1)) + made * t == pytest.approx(flux.gained_at(t), rel=1e-8)
    assert flux.flow_at(2, t) == pytest.approx(-heat[1], rel=1e-4)
    assert np.isnan(flux.temperature_at(s, 500.0 + 1e-9)).all(), "right behind its jump"
    with pytest.raises(ReferenceRefusedError, match="meets something else too"):
        Fluxed(Warming(form, start, layers, (sides[0], Side(held=300.0))), 1, flux.course).temperature_at(s, t)


@pytest.mark.parametrize("way", [1.0, -1.0])
@pytest.mark.parametrize("place", [0, 1])
def test_a_swing_through_a_thick_wall_lags_by_more_than_a_turn(place: int, way: float) -> None:
    """Into a deep wall it goes as exp(−(1 + i) s √(ω/2a)); at an insulated face in the end it is twice as high."""
    rate, diffusivity, deep = 2 * np.pi / 86400, 5e-7, 1.2
    changes: list[Any] = [None, None]
    changes[place] = Swing(10.0, way * rate, 0.3)
    sides: list[Side] = [IDLE, IDLE]
    sides[place] = Side(held=290.0)
    layers = (WarmingLayer(0.7, 0.9, diffusivity, 290.0), WarmingLayer(deep, 0.9, diffusivity, 290.0))
    wall = Warming("wall", 0.0, layers, (sides[0], sides[1]), (changes[0], changes[1]))
    through = wall.swing_through(place)
    turns = deep * np.sqrt(rate / (2 * diffusivity))
    assert turns > 2 * np.pi and through is not None and wall.swing_through(1 - place) is None
    assert through[0] == pytest.approx(2 * np.exp(-turns), rel=1e-6)
    assert through[1] == pytest.approx(turns / rate, rel=1e-6)
