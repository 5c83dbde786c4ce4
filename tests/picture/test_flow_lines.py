"""Lines that follow the heat stand for equal shares of it, and run where it runs."""

import numpy as np
import pytest

from blunt_ember.fem.reading import flux_at_nodes
from blunt_ember.flow.flow import Flow
from blunt_ember.flow.outcome import Outcome
from blunt_ember.gallery.families import family
from blunt_ember.picture.body.flow_lines import FlowLines, flow_lines


@pytest.fixture(scope="module")
def flow() -> Flow:
    return Flow()


def _followed(flow: Flow, name: str) -> tuple[Outcome, FlowLines]:
    outcome = flow.answered(family(name).case())
    assert outcome.mesh is not None and outcome.problem is not None and outcome.solution is not None
    return outcome, flow_lines(outcome.mesh, flux_at_nodes(outcome.problem, outcome.solution.temperature))


def _through(outcome: Outcome) -> float:
    """The heat in W that comes into the body, by the ledger."""
    assert outcome.ledger is not None
    return sum(max(row.heat, 0.0) for row in outcome.ledger.rows)


def test_through_layers_they_are_straight_evenly_spaced_and_share_the_heat(flow: Flow) -> None:
    outcome, found = _followed(flow, "composite-wall")
    assert found.each * len(found.lines) == pytest.approx(_through(outcome), rel=1e-6)
    heights = np.sort([line[0, 1] for line in found.lines])
    assert np.diff(heights) == pytest.approx(100e-3 / len(found.lines), rel=1e-3)
    for line in found.lines:
        assert np.ptp(line[:, 1]) < 1e-6
        assert line[0, 0] < 5e-3 and line[-1, 0] > 160e-3  # from the hot face through every joint


def test_round_a_pipe_they_stand_at_even_angles(flow: Flow) -> None:
    outcome, found = _followed(flow, "hollow-cylinder")
    assert found.each * len(found.lines) == pytest.approx(_through(outcome), rel=2e-3)
    angles = [np.arctan2(line[:, 1], line[:, 0]) for line in found.lines]
    assert max(float(np.ptp(np.unwrap(angle))) for angle in angles) < 0.02
    steps = np.diff(np.sort([float(angle[0]) for angle in angles]))
    assert steps == pytest.approx(2 * np.pi / len(found.lines), rel=0.03)


def test_in_a_turned_section_they_crowd_towards_the_equator(flow: Flow) -> None:
    """The same heat passes between cones whose cosines differ by the same."""
    _, found = _followed(flow, "hollow-sphere")
    cosines = np.sort([float(line[0, 1] / np.linalg.norm(line[0])) for line in found.lines])
    assert np.diff(cosines) == pytest.approx(2 / len(found.lines), rel=0.05)


def test_heat_from_inside_is_followed_back_from_where_it_leaves(flow: Flow) -> None:
    _, found = _followed(flow, "generating-cylinder")
    assert len(found.lines) == 24
    assert found.each * 24 == pytest.approx(180e3 * np.pi * 14e-3**2, rel=5e-3)
    for line in found.lines:
        radius = np.linalg.norm(line, axis=1)
        assert radius[0] < 2e-3 and radius[-1] > 13e-3


def test_in_a_solid_they_run_from_the_warm_to_the_cold_side(flow: Flow) -> None:
    outcome, found = _followed(flow, "room-corner")
    assert outcome.mesh is not None
    assert found.each * 64 == pytest.approx(_through(outcome), rel=0.03)  # the flux at the inner edges has no end
    assert len(found.lines) >= 60
    for line in found.lines:
        begun, ended = line[0], line[-1]
        assert min(ended) < 0.01  # an outer face
        assert min(abs(begun - 0.24)) < 0.02  # an inner one


def test_nothing_flows_in_an_even_body(flow: Flow) -> None:
    outcome, _ = _followed(flow, "composite-wall")
    assert outcome.mesh is not None
    still = tuple(np.zeros((*block.nodes.shape, 2)) for block in outcome.mesh.blocks)
    assert flow_lines(outcome.mesh, still) == FlowLines((), 0.0)
