"""Conductivity of the regions at any place and temperature, even or by directions."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from blunt_ember.arrays import Floats, Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.errors import SolverError
from blunt_ember.immutable import immutable
from blunt_ember.mesh.mesh import CellBlock, Mesh

#: How a law is read: its values, or its slope with temperature.
LawReading = Callable[[Law, dict[str, Floats]], Floats]


@immutable
class Conductor:
    """Conductivity of a region: one law, or laws ``along``, ``across`` and ``through`` its direction.

    The direction lies at ``angle`` from the x axis of the plan, or points away from ``centre`` (m) of the plan.
    """

    k: tuple[Law, ...]
    angle: float = 0.0
    centre: tuple[float, float] | None = None

    @property
    def constant(self) -> float | None:
        """Its value where it is even, the same everywhere; else None."""
        return self.k[0].constant if len(self.k) == 1 else None

    @property
    def follows_temperature(self) -> bool:
        """Whether it depends on the temperature that is sought."""
        return any(law.follows_temperature for law in self.k)


def positive_values(law: Law, where: dict[str, Floats]) -> Floats:
    """Read the values of a law, which must be more than zero."""
    values = law.at(where)
    if not (values > 0).all():
        worst = int(np.argmin(np.where(np.isnan(values), -np.inf, values)))
        places = ", ".join(f"{name} = {each.flat[worst]:.6g}" for name, each in where.items())
        raise SolverError(f"the conductivity '{law.text}' is {values.flat[worst]:.4g} W/(m K) at {places} (SI)")
    return values


def slope_of(law: Law, where: dict[str, Floats]) -> Floats:
    """Read the slopes of a law with temperature, W/(m K²)."""
    return law.slope(where)


def conductivity_at(
    conductors: Sequence[Conductor],
    mesh: Mesh,
    region: Ints,
    places: Floats,
    temperature: Floats,
    t: float = 0.0,
    reading: LawReading = positive_values,
) -> Floats:
    """Return k in W/(m K) at ``places`` (m, q, d) in cells of ``region`` (m,) at temperatures (m, q) in K,
    at the time ``t`` in s.

    The shape is (m, q), or (m, q, d, d) where a region there conducts by directions. Raises :class:`SolverError` where
    a conductivity is not more than zero.
    """
    present = np.unique(region).tolist()
    evenly = all(len(conductors[number].k) == 1 for number in present)
    dimension = places.shape[-1]
    result = np.zeros(places.shape[:-1] if evenly else (*places.shape[:-1], dimension, dimension))
    for number in present:
        conductor = conductors[number]
        own = slice(None) if len(present) == 1 else region == number
        where = {**mesh.space.variables(places[own]), "t": np.full(temperature[own].shape, t), "T": temperature[own]}
        values = [reading(law, where) for law in conductor.k]
        if evenly:
            result[own] = values[0]
        elif len(values) == 1:
            result[own] = values[0][..., None, None] * np.eye(dimension)
        else:
            axes = _directions(conductor, mesh, places[own])
            result[own] = np.einsum("i...,...ia,...ib->...ab", np.stack(values[:dimension]), axes, axes)
    return result


def conducted(
    conductors: Sequence[Conductor],
    mesh: Mesh,
    region: Ints,
    places: Floats,
    temperature: Floats,
    gradient: Floats,
    t: float = 0.0,
) -> Floats:
    """Return −k∇T in W/m², (m, q, d), at places (m, q, d) of temperatures (m, q) in K and their gradients (m, q, d)."""
    k = conductivity_at(conductors, mesh, region, places, temperature, t)
    return -(k[..., None] * gradient if k.ndim == 2 else (k @ gradient[..., None])[..., 0])


def _directions(conductor: Conductor, mesh: Mesh, places: Floats) -> Floats:
    """Unit vectors (…, d, d) along, across and through at ``places`` (…, d)."""
    axes = mesh.space.axes(places)
    if axes.shape[-1] == 1:
        return axes
    angle = np.full(places.shape[:-1], conductor.angle)
    if conductor.centre is not None:
        away = mesh.space.plan(places) - np.array(conductor.centre)
        angle = np.arctan2(away[..., 1], away[..., 0])
    cos, sin = np.cos(angle)[..., None], np.sin(angle)[..., None]
    first, second = axes[..., 0, :], axes[..., 1, :]
    return np.stack([cos * first + sin * second, cos * second - sin * first, *np.moveaxis(axes, -2, 0)[2:]], axis=-2)


def even_conductivity(conductors: Sequence[Conductor], block: CellBlock) -> Floats | None:
    """Return k (m, 1) in W/(m K) by cell where all regions of a block conduct evenly and constantly; else None."""
    if any(conductors[number].constant is None for number in block.present):
        return None
    table = np.array([0.0 if conductor.constant is None else conductor.constant for conductor in conductors])
    return table[block.region][:, None]
