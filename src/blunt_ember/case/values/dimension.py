"""What a quantity is of: exponents of length, mass, time …"""

from __future__ import annotations

from collections.abc import Mapping


class Dimension:
    """A product of powers of base dimensions, such as ``[length]``; the empty one is that of a plain number."""

    __slots__ = ("_hash", "_powers")

    def __init__(self, powers: Mapping[str, float] | None = None) -> None:
        self._powers = {base: power for base, power in sorted((powers or {}).items()) if power != 0}
        self._hash = hash(tuple(self._powers.items()))

    def items(self) -> tuple[tuple[str, float], ...]:
        """Return base dimensions with their exponents, none of which is 0."""
        return tuple(self._powers.items())

    def __mul__(self, other: Dimension) -> Dimension:
        found = dict(self._powers)
        for base, power in other._powers.items():
            found[base] = found.get(base, 0) + power
        return Dimension(found)

    def __truediv__(self, other: Dimension) -> Dimension:
        return self * other**-1

    def __pow__(self, exponent: float) -> Dimension:
        return Dimension({base: power * exponent for base, power in self._powers.items()})

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Dimension) and self._powers == other._powers

    def __hash__(self) -> int:
        return self._hash

    def __repr__(self) -> str:
        return f"Dimension({self._powers})"

    def __reduce__(self) -> tuple[type[Dimension], tuple[dict[str, float]]]:
        return Dimension, (self._powers,)


DIMENSIONLESS = Dimension()
