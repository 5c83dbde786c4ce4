"""Every term of the heat balance of a problem."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from blunt_ember.arrays import Ints
from blunt_ember.case.values.laws import Law
from blunt_ember.fem.assembly import cell_places, facet_rule, facet_weights, in_runs, weighted_gradients
from blunt_ember.fem.problem.problem import Problem
from blunt_ember.fem.terms.enclosure import enclosure_terms
from blunt_ember.fem.terms.inside import AtNodes, Conduction, InRegion
from blunt_ember.fem.terms.on_facets import AcrossJoint, OnSurface
from blunt_ember.fem.terms.term import Term
from blunt_ember.mesh.cells.families import CELL_FAMILIES
from blunt_ember.mesh.mesh import CellBlock, FacetSet, Mesh


def build_terms(problem: Problem, reference_temperature: float) -> tuple[Term, ...]:
    """Return every term of the balance of a problem, conduction block by block first."""
    return (
        *(Conduction(block, problem.mesh, problem.conductors, reference_temperature) for block in problem.mesh.blocks),
        *surface_terms(problem, reference_temperature),
        *(term for law in problem.enclosures for term in enclosure_terms(law, problem.mesh, reference_temperature)),
        *_in_regions(problem, reference_temperature),
        *_across_joints(problem),
        *(AtNodes(source.name, source.nodes[None], source.shares[None], source.total) for source in problem.points),
    )


def surface_terms(problem: Problem, reference_temperature: float) -> Iterator[OnSurface]:
    """Return what acts on each outer surface, family by family of its facets."""
    mesh = problem.mesh
    for name, laws in problem.exchanges.items():
        follows_place = any(law.follows_place for law in laws)
        facets = mesh.surfaces[name]
        for block in facets.blocks:
            shape = CELL_FAMILIES[block.family].values(facet_rule(block.family, follows_place)[0])
            where = mesh.space.variables(shape @ mesh.points[block.nodes])
            weights = facet_weights(facets, block, mesh, follows_place)
            yield OnSurface(
                name, block.nodes, shape, weights, where, laws, reference_temperature, np.array(facets.regions)
            )


def _in_regions(problem: Problem, reference_temperature: float) -> Iterator[Term]:
    mesh = problem.mesh
    for source in problem.sources:
        for block in mesh.blocks:
            own = block.region == source.region
            if not own.any():
                continue
            part = CellBlock(block.family, block.nodes[own], block.region[own])
            shape = CELL_FAMILIES[block.family].at_points
            weights = np.concatenate([weighted_gradients(part, mesh, run)[1] for run in in_runs(part, len(shape))])
            where = mesh.space.variables(cell_places(part, mesh))
            yield InRegion(
                source.name, part.nodes, shape, weights, where, source.per_volume, reference_temperature, part.region
            )


def _across_joints(problem: Problem) -> Iterator[Term]:
    mesh = problem.mesh
    for name, joint in problem.joints.items():
        if joint.conductance is None:
            continue
        facets = mesh.surfaces[name]
        for near, far in zip(facets.blocks, facets.far, strict=True):
            yield _joint(name, facets, near.nodes, far.nodes, near.family, joint.conductance, mesh)


def _joint(name: str, facets: FacetSet, near: Ints, far: Ints, family: str, conductance: Law, mesh: Mesh) -> Term:
    shape = CELL_FAMILIES[family].at_points
    block = next(block for block in facets.blocks if block.nodes is near)
    weights, where = facet_weights(facets, block, mesh), mesh.space.variables(shape @ mesh.points[near])
    nodes = np.concatenate([near, far], axis=1)
    return AcrossJoint(name, nodes, shape, weights, where, conductance, np.array(facets.regions))
