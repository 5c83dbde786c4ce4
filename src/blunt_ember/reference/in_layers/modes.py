"""Modes in which layers cool: walls, cylinders or spheres, solid or hollow, with contact resistances between them.

(k sᵐ X′)′ + λ² c sᵐ X = 0 is a Sturm–Liouville problem, also where k and c jump: the n-th mode has n zeros, and how
many roots lie below any λ is told by the zeros of the solution that starts as the first side demands (Courant &
Hilbert, *Methods of Mathematical Physics* I, VI.6). A contact is a layer without capacity; a zero may lie within it. So
what is known to hold a root is halved until it holds no other, and none is missed. In a layer the solutions are those
of Carslaw & Jaeger (1959), *Conduction of Heat in Solids*, 2nd ed., sections 3.9 to 3.11, 7.7, 9.4 and 12.8.
"""

from __future__ import annotations

from dataclasses import field
from functools import cached_property, lru_cache
from typing import Literal

import numpy as np
from scipy import special

from blunt_ember.arrays import Floats
from blunt_ember.immutable import immutable
from blunt_ember.quadrature import gauss_rule
from blunt_ember.reference.in_layers.brackets import roots_between

BodyForm = Literal["wall", "cylinder", "sphere"]
#: What the distance is raised to in the area that heat passes.
POWER = {"wall": 0, "cylinder": 1, "sphere": 2}
_HALVINGS = 90
#: Angle turned through in a layer below which differences of sines lose digits.
_SMALL_TURN = 0.05
_SMALL_NORM = 2.0


@immutable
class Stack:
    """Layers between the places ``lines`` (l + 1,) in m, of conductivities ``k`` W/(m K) and ``diffusivity`` m²/s.

    ``contacts`` are the resistances behind each layer but the last, m² K/W; ``leaves`` the film coefficients of both
    ends in W/(m² K), infinite where the temperature is held. A cylinder or sphere from 0 is solid.
    """

    form: BodyForm
    lines: tuple[float, ...]
    k: tuple[float, ...]
    diffusivity: tuple[float, ...]
    contacts: tuple[float, ...]
    leaves: tuple[float, float]

    @property
    def power(self) -> int:
        """What the distance is raised to in the area that heat passes."""
        return POWER[self.form]

    @property
    def solid(self) -> bool:
        """Whether it reaches the middle of a cylinder or sphere."""
        return self.form != "wall" and self.lines[0] == 0

    @property
    def rests(self) -> bool:
        """Whether no heat can leave."""
        return not any(self.leaves)

    def area(self, line: int) -> float:
        """The area that heat passes at a line, over that at 1."""
        return float(self.lines[line] ** self.power)

    def volume(self, layer: int) -> float:
        """∫ sᵐ ds of a layer."""
        low, high = self.lines[layer : layer + 2]
        power = self.power + 1
        return (high - low) * sum(high**n * low ** (power - 1 - n) for n in range(power)) / power

    def capacity(self, layer: int) -> float:
        """Heat capacity per volume, J/(m³ K)."""
        return self.k[layer] / self.diffusivity[layer]

    @property
    def content(self) -> float:
        """Heat capacity per what heat is told of, J/K."""
        return sum(self.capacity(layer) * self.volume(layer) for layer in range(len(self.k)))

    def layer_at(self, s: Floats) -> Floats:
        """The layer (p,) in which places lie, on a line the one before it."""
        return np.clip(np.searchsorted(self.lines, s, side="left") - 1, 0, len(self.k) - 1)

    def first(self, count: int) -> tuple[Floats, Floats]:
        """Value (n,) and flow k sᵐ X′ of every mode at the first line."""
        leaves, area = self.leaves[0], self.area(0)
        if self.solid:
            return np.ones(count), np.zeros(count)
        if np.isinf(leaves):
            return np.zeros(count), np.full(count, self.k[0] * area / (self.lines[1] - self.lines[0]))
        return np.ones(count), np.full(count, leaves * area)

    def crossed(self, layer: int, s: Floats, root: Floats, value: Floats, flow: Floats) -> tuple[Floats, Floats]:
        """Value and flow at ``s`` of what has a ``value`` and a ``flow`` where the layer begins; shapes broadcast."""
        low, k = self.lines[layer], self.k[layer]
        turn = root / np.sqrt(self.diffusivity[layer])
        if self.form == "cylinder":
            return _crossed_ring(low, s, k, turn, value, flow)
        away = s - low
        z = turn * away
        if self.form == "wall":
            cosine, sine = np.cos(z), np.sin(z)
            return value * cosine + flow / k * _over(sine, turn, away), flow * cosine - k * turn * value * sine
        cosine, share = np.cos(z), np.sinc(z / np.pi)
        # U = s X obeys the equation of a wall.
        bend = _bend(z)
        inner = flow / (k * low) if low else 0.0 * flow
        with np.errstate(divide="ignore", invalid="ignore"):
            here = (low * value * cosine + (value + inner) * away * share) / s
        onward = k * value * away * (bend - turn**2 * low * s * share) + inner * k * (low * cosine + away * bend)
        return np.where(s == 0, value, here), onward

    def grown(self, layer: int, s: Floats, root: Floats, value: Floats, flow: Floats) -> Floats:
        """The value alone of what :meth:`crossed` tells of."""
        if self.form != "wall":
            return self.crossed(layer, s, root, value, flow)[0]
        away, turn = s - self.lines[layer], root / np.sqrt(self.diffusivity[layer])
        z = turn * away
        found = _over(np.sin(z), turn, away)
        found *= flow / self.k[layer]
        found += value * np.cos(z)
        return found

    def zeros(self, layer: int, root: Floats, value: Floats, flow: Floats, after: Floats) -> Floats:
        """How many zeros (n,) a solution has in a layer at whose begin it is not negative; ``after`` is its value at
        the end."""
        (low, high), k = self.lines[layer : layer + 2], self.k[layer]
        turn = root / np.sqrt(self.diffusivity[layer])
        if self.form == "wall":
            angle = np.arctan2(value, flow / (k * turn)) + turn * (high - low)
        elif self.form == "sphere":
            slope = value + (flow / (k * low) if low else 0.0)
            angle = np.arctan2(low * value * turn, slope) + turn * (high - low)
        else:
            angle = _turned_ring(low, high, k, turn, value, flow)
        odd = (after < 0).astype(float)
        # The angle tells the number but for round-off, and whether the sign has changed tells whether it is odd.
        return np.asarray(2 * np.rint((angle / np.pi - 0.5 - odd) / 2) + odd)

    def below(self, root: Floats) -> Floats:
        """How many roots lie below each of the given ones (n,), in 1/√s."""
        value, flow = self.first(len(root))
        count = np.zeros(len(root))
        for layer in range(len(self.k)):
            turned = np.where((value < 0) | ((value == 0) & (flow < 0)), -1.0, 1.0)
            value, flow = value * turned, flow * turned
            after, onward = self.crossed(layer, np.asarray(self.lines[layer + 1]), root, value, flow)
            count += self.zeros(layer, root, value, flow, after)
            value, flow = after, onward
            if layer < len(self.contacts) and self.contacts[layer]:
                value = value + self.contacts[layer] * flow / self.area(layer + 1)
                count += np.sign(value) * np.sign(after) < 0
        if np.isinf(self.leaves[1]):
            return count
        left = flow + self.leaves[1] * self.area(len(self.k)) * value
        return count + (left * np.sign(value) < 0)

    def roots(self, count: int) -> Floats:
        """The ``count`` smallest roots in 1/√s, the first of them 0 where no heat can leave."""
        lasts = sum(np.diff(self.lines) / np.sqrt(self.diffusivity))
        number, first = np.arange(count), int(self.rests)
        high = (count + 1) * np.pi / lasts
        while self.below(np.array([high]))[0] < count:
            high *= 2
        lows, highs = np.zeros(count), np.full(count, high)
        under_low, under_high = np.zeros(count), np.full(count, np.inf)
        alone = np.zeros(count, dtype=bool)
        for _ in range(_HALVINGS):
            middle = (lows + highs) / 2
            under = self.below(middle)
            beyond = under > number
            lows, under_low = np.where(beyond, lows, middle), np.where(beyond, under_low, under)
            highs, under_high = np.where(beyond, middle, highs), np.where(beyond, under, under_high)
            alone = (under_low == number) & (under_high == number + 1) & (lows > 0)
            narrow = highs - lows <= 2e-16 * highs
            if (alone | narrow)[first:].all():
                # Where an end is a root itself, to the last digit, signs do not tell, and it is halved on.
                signs = np.sign(self.left_over(np.concatenate([lows[alone], highs[alone]]))).reshape(2, -1)
                alone[alone] = signs[0] * signs[1] < 0
                if (alone | narrow)[first:].all():
                    break
        found = (lows + highs) / 2
        found[alone] = roots_between(self.left_over, lows[alone], highs[alone])
        found[:first] = 0.0
        return found

    def left_over(self, root: Floats) -> Floats:
        """What the last side demands and a solution that meets the first side leaves over (n,); nothing at a root."""
        value, flow = self.first(len(root))
        for layer in range(len(self.k)):
            value, flow = self.crossed(layer, np.asarray(self.lines[layer + 1]), root, value, flow)
            if layer < len(self.contacts):
                value = value + self.contacts[layer] * flow / self.area(layer + 1)
        return value if np.isinf(self.leaves[1]) else flow + self.leaves[1] * self.area(len(self.k)) * value


#: Values of modes at places that are remembered at most, and at how many sets of places.
_REMEMBERED, _SETS = 300_000, 24


@immutable
class Modes:
    """The ``roots`` (n,) of a stack, and values and flows (l, n) of their modes where each layer begins and ends."""

    stack: Stack
    roots: Floats
    values: tuple[Floats, Floats]
    flows: tuple[Floats, Floats]
    _last: dict[tuple[int, bytes], Floats] = field(default_factory=dict, compare=False, repr=False)

    @property
    def resting(self) -> Floats:
        """Which modes are the one in which no heat flows."""
        return self.roots == 0

    def in_layer(self, layer: int, s: Floats) -> Floats:
        """Return the modes (p, n) at places (p,) of a layer; those asked for last are known, as curves over time and
        the search for when something comes true ask for them again and again."""
        most = _REMEMBERED // len(self.roots)
        if len(s) > most:
            return self._found_in(layer, s)
        key = layer, np.ascontiguousarray(s).tobytes()
        known = self._last.pop(key, None)
        if known is None:
            known = self._found_in(layer, s)
            while self._last and (len(self._last) >= _SETS or sum(map(len, self._last.values())) > most - len(s)):
                del self._last[next(iter(self._last))]
        self._last[key] = known
        return known

    def _found_in(self, layer: int, s: Floats) -> Floats:
        value, flow = self.values[0][layer], self.flows[0][layer]
        root = np.where(self.resting, 1.0, self.roots)
        found = self.stack.grown(layer, np.asarray(s)[:, None], root, value, flow)
        found[:, self.resting] = 1.0
        return found

    @cached_property
    def parts(self) -> Floats:
        """∫ X sᵐ ds of every layer (l, n), which is what the flows at both ends of it leave over."""
        capacity = np.array([self.stack.capacity(layer) for layer in range(len(self.stack.k))])
        volume = np.array([self.stack.volume(layer) for layer in range(len(self.stack.k))])
        squared = np.where(self.resting, 1.0, self.roots**2)
        moving = (self.flows[0] - self.flows[1]) / (capacity[:, None] * squared)
        return np.where(self.resting, volume[:, None], moving)

    def between(self, low: float, high: float) -> Floats:
        """∫ c X sᵐ ds (n,) from one place in m to another, which may lie in other layers."""
        stack, total = self.stack, np.zeros(len(self.roots))
        root = np.where(self.resting, 1.0, self.roots)
        for layer in range(len(stack.k)):
            begin, end = stack.lines[layer : layer + 2]
            ends = np.clip(np.array([low, high]), begin, end)
            if ends[1] <= ends[0]:
                continue
            value, flow = self.values[0][layer], self.flows[0][layer]
            first, last = (stack.crossed(layer, np.asarray(at), root, value, flow)[1] for at in ends)
            power = stack.power + 1
            resting = stack.capacity(layer) * (ends[1] ** power - ends[0] ** power) / power
            total += np.where(self.resting, resting, (first - last) / root**2)
        return total

    @cached_property
    def norms(self) -> Floats:
        """∫ c X² sᵐ ds (n,)."""
        total = np.zeros(len(self.roots))
        for layer in range(len(self.stack.k)):
            total += self.stack.capacity(layer) * self._squares(layer)
        return total

    def _squares(self, layer: int) -> Floats:
        """∫ X² sᵐ ds of a layer (n,)."""
        stack = self.stack
        low, high = stack.lines[layer : layer + 2]
        turn = np.where(self.resting, 1.0, self.roots) / np.sqrt(stack.diffusivity[layer])
        parts = []
        for line, at in enumerate((low, high)):
            value, flow = self.values[line][layer], self.flows[line][layer] / stack.k[layer]
            if stack.form == "cylinder":
                parts.append((at * at * value**2 + (flow / turn) ** 2) / 2)
                continue
            straight, slope = (
                (value, flow) if stack.form == "wall" else (at * value, value + (flow / at if at else 0.0))
            )
            parts.append(at / 2 * (straight**2 + (slope / turn) ** 2) - straight * slope / (2 * turn**2))
        found = parts[1] - parts[0]
        slow = turn * (high - low) < _SMALL_NORM
        if slow.any():
            rule, weight = gauss_rule(24)
            s = low + (high - low) * (1 + rule) / 2
            weight = weight * s**stack.power * (high - low) / 2
            chosen = Modes(
                stack,
                self.roots[slow],
                (self.values[0][:, slow], self.values[1][:, slow]),
                (self.flows[0][:, slow], self.flows[1][:, slow]),
            )
            found[slow] = weight @ chosen.in_layer(layer, s) ** 2
        return np.where(self.resting, stack.volume(layer), found)


@lru_cache(maxsize=256)
def _roots_of(stack: Stack, count: int) -> Floats:
    """The roots of a stack, which fields of the same body ask for again and again; they cannot be written to."""
    roots = stack.roots(count)
    roots.setflags(write=False)
    return roots


def modes_of(stack: Stack, count: int) -> Modes:
    """Return the ``count`` slowest modes of a stack."""
    roots = _roots_of(stack, count)
    moving = np.where(roots == 0, 1.0, roots)
    value, flow = stack.first(count)
    begins: list[tuple[Floats, Floats]] = []
    ends: list[tuple[Floats, Floats]] = []
    for layer in range(len(stack.k)):
        begins.append((value, flow))
        after, onward = stack.crossed(layer, np.asarray(stack.lines[layer + 1]), moving, value, flow)
        after, onward = np.where(roots == 0, 1.0, after), np.where(roots == 0, 0.0, onward)
        ends.append((after, onward))
        value, flow = after, onward
        if layer < len(stack.contacts):
            value = value + stack.contacts[layer] * flow / stack.area(layer + 1)
    values, flows = (np.stack([pair[n] for pair in begins]) for n in (0, 1))
    last_values, last_flows = (np.stack([pair[n] for pair in ends]) for n in (0, 1))
    return Modes(stack, roots, (values, last_values), (flows, last_flows))


def _bend(z: Floats) -> Floats:
    """cos z − sin z / z, from its series where that loses digits."""
    squared = z * z
    small = -squared / 3 * (1 - squared / 10 * (1 - squared / 28 * (1 - squared / 54)))
    return np.where(z < _SMALL_TURN, small, np.cos(z) - np.sinc(z / np.pi))


def _weights_of_ring(low: float, k: float, turn: Floats, value: Floats, flow: Floats) -> tuple[Floats, Floats]:
    """What of J₀ and of Y₀ is in a solution with a value and a flow at a radius (their Wronskian is 2/(π z))."""
    z = turn * low
    ordinary = -np.pi / 2 * (value * z * special.y1(z) + special.y0(z) * flow / k)
    return ordinary, np.pi / 2 * (value * z * special.j1(z) + special.j0(z) * flow / k)


def _over(sine: Floats, turn: Floats, away: Floats) -> Floats:
    """sin(turn away) / turn, which is ``away`` where nothing turns."""
    still = np.asarray(turn == 0)
    return np.asarray(np.where(still, away, sine / np.where(still, 1.0, turn)) if still.any() else sine / turn)


def _crossed_ring(low: float, s: Floats, k: float, turn: Floats, value: Floats, flow: Floats) -> tuple[Floats, Floats]:
    z = turn * s
    if low == 0:
        return value * special.j0(z), -k * z * special.j1(z) * value
    ordinary, other = _weights_of_ring(low, k, turn, value, flow)
    here = ordinary * special.j0(z) + other * special.y0(z)
    return here, -k * z * (ordinary * special.j1(z) + other * special.y1(z))


def _turned_ring(low: float, high: float, k: float, turn: Floats, value: Floats, flow: Floats) -> Floats:
    """The angle (n,) whose multiples of π are zeros of a solution in a ring, from that at its begin."""
    if low == 0:
        return _phase(turn * high) + np.pi / 2
    ordinary, other = _weights_of_ring(low, k, turn, value, flow)
    begun = _phase(turn * low)
    off = begun - np.arctan2(other, ordinary)
    first = np.arctan2(np.abs(np.cos(off)), -np.sin(off))  # its value is not negative but for round-off
    return np.asarray(first + _phase(turn * high) - begun)


def _phase(z: Floats) -> Floats:
    """θ(z) of J₀ = M cos θ, Y₀ = M sin θ, which grows from −π/2 without a jump (DLMF 10.18)."""
    angle = np.arctan2(special.y0(z), special.j0(z))
    return np.asarray(angle + 2 * np.pi * np.rint((z - np.pi / 4 - angle) / (2 * np.pi)))
