"""Surfaces that see each other: views of a cavity with a post beside rays shot at random, and an edit of an emissivity.

A plain estimate by random rays stands beside the crossed strings: its error falls with the root of their number, so the
time it would take to come as near is told from what a few take.
"""

from __future__ import annotations

import resource
import sys
import time
import tracemalloc

import numpy as np

from blunt_ember.arrays import Floats
from blunt_ember.case.editing.edits import with_value
from blunt_ember.flow.flow import Flow
from blunt_ember.gallery.families import family
from blunt_ember.radiation.section.rings import exchange_areas
from blunt_ember.radiation.section.strings import exchange_lengths
from blunt_ember.radiation.solid.exchange import exchange_in_space
from blunt_ember.radiation.solid.patches import grouped_into_patches
from blunt_ember.radiation.solid.polygons import polygons
from blunt_ember.radiation.solid.sight import sight_past
from figures import compared, yardstick

ROOM = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)]
POST = [(0.3, 0.4), (0.3, 0.6), (0.55, 0.62), (0.6, 0.35)]
#: What the random rays are to come as near as.
NEAR = 1e-4


def main() -> None:
    """Print the figures, and how they compare with those kept."""
    unit = yardstick()
    start, end, edges = divided(250)
    tracemalloc.start()
    begin = time.perf_counter()
    found = exchange_lengths(start, end, edges)
    seconds = time.perf_counter() - begin
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    length = np.linalg.norm(end - start, axis=1)
    closure = np.abs(found.sum(axis=1) / length - 1).max()
    print(f"\nplane cavity with a post, {len(start)} facets")
    print(f"  {seconds:.2f} s, {peak / 1e6:.0f} MB, closed to {closure:.0e}")
    exact = found[:250, 500:750].sum()
    begin = time.perf_counter()
    shot = shot_at_random(200_000, edges)
    took = time.perf_counter() - begin
    error = abs(shot - exact)
    spread = np.sqrt(exact * (1 - exact) / 200_000)
    same = took * (spread / NEAR) ** 2 * len(start) / 250
    print(f"  floor to crown {exact:.6f}; by 200 000 rays {shot:.6f}, {error:.0e} off, {took:.2f} s")
    print(f"  to {NEAR:.0e} of every facet rays would take {same:.0f} s: {same / seconds:.0f} × as long")
    ring = np.linspace(-np.pi / 2, np.pi / 2, 61)
    shell = np.column_stack([np.cos(ring), np.sin(ring)])
    begin_at, end_at = (np.concatenate([shell[own], 0.6 * shell[::-1][own]]) for own in (slice(-1), slice(1, None)))
    begin = time.perf_counter()
    exchange_areas(begin_at, end_at, np.stack([begin_at, end_at], axis=1))
    turned = time.perf_counter() - begin
    print(f"ball in a shell, {len(begin_at)} rings: {turned:.2f} s")
    solid = solid_room(unit)
    edit = edited()
    print(f"an emissivity edited to finished answers, 76 facets: {edit * 1e3:.0f} ms")
    figures = {
        "enclosures: plane cavity of 2 000 facets": seconds / unit,
        "enclosures: ball in a shell of 120 rings": turned / unit,
        "enclosures: emissivity edited to answers": edit / unit,
        **solid,
    }
    print(*compared(figures, "--keep" in sys.argv), sep="\n")


def solid_room(unit: float) -> dict[str, float]:
    """A room of 20 000 facets with a block in it, beside rays shot at random from its floor."""
    walls = box(np.zeros(3), np.ones(3), 52, inside=True)
    block = box(np.full(3, 0.3), np.array([0.7, 0.6, 0.8]), 25, inside=False)
    corners = np.concatenate([walls, block])
    surface = np.concatenate([np.repeat(np.arange(6), 52**2), np.repeat(np.arange(6, 12), 25**2)])
    triangles = np.concatenate([corners[:, [0, 1, 2]], corners[:, [0, 2, 3]]])
    begin = time.perf_counter()
    shapes = polygons(corners)
    patch = grouped_into_patches(shapes.middle, shapes.normal, surface, 2_000)
    exchange = exchange_in_space(shapes, patch, triangles, int(patch.max()) + 1)
    seconds = time.perf_counter() - begin
    area = np.bincount(patch, shapes.area)
    lacking = 1 - exchange.sum(axis=1) / area
    whole = np.sqrt(np.mean(lacking**2))
    own = np.zeros(len(area), dtype=int)
    own[patch] = surface
    seen = float(exchange[np.ix_(own == 4, own == 5)].sum())
    print(
        f"\nroom of {len(corners)} facets in {len(area)} patches with a block: {seconds:.1f} s, closed to {whole:.1e}"
    )
    random, count = np.random.default_rng(3), 1_000_000
    begin = time.perf_counter()
    place = np.column_stack([random.random((count, 2)), np.zeros(count)])
    turn, sine = 2 * np.pi * random.random(count), np.sqrt(random.random(count))
    way = np.column_stack([sine * np.cos(turn), sine * np.sin(turn), np.sqrt(1 - sine**2)])
    end = place + way / way[:, 2:]
    inside = ((end[:, :2] >= 0) & (end[:, :2] <= 1)).all(axis=1)
    hit = np.zeros(count, dtype=bool)
    hit[inside] = ~sight_past(triangles[np.tile(surface >= 6, 2)]).blocked(place[inside], end[inside])
    took = time.perf_counter() - begin
    shot = float(hit.mean())
    off = abs(seen - shot)
    spread = np.sqrt(shot * (1 - shot) / count)
    # As near for the views of every patch: each of them needs as many rays.
    same = took * len(area) * (spread / whole) ** 2
    print(f"  floor to roof {seen:.5f}; by 1 000 000 rays {shot:.5f} ± {spread:.1e} ({off:.1e} off), {took:.2f} s")
    print(f"  as near for every patch rays would take {same:.0f} s: {same / seconds:.1f} × as long")
    print(f"  peak memory of the process {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.2f} GB")
    return {"enclosures: solid room of 20 000 facets": seconds / unit}


def box(low: Floats, high: Floats, count: int, inside: bool) -> Floats:
    """The faces of a box (m, 4, 3), each divided so often both ways: four sides, the floor and the roof."""
    steps = np.linspace(0, 1, count + 1)
    found = []
    for axis in (0, 1, 2):
        for at in (0.0, 1.0):
            u, v = (axis + 1) % 3, (axis + 2) % 3
            corner = np.stack(np.meshgrid(steps[:-1], steps[:-1], indexing="ij"), -1).reshape(-1, 1, 2)
            flat = corner + np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) / count
            face = np.full((len(flat), 4, 3), at)
            face[..., u], face[..., v] = flat[..., 0], flat[..., 1]
            found.append(face if (at == 0) == inside else face[:, ::-1])
    return low + np.concatenate(found) * (high - low)


def divided(count: int) -> tuple[Floats, Floats, Floats]:
    """Facets of the room and the post, and their edges."""
    share = np.linspace(0, 1, count + 1)[:, None]
    lines = [(a, b) for loop in (ROOM, POST) for a, b in zip(loop, loop[1:] + loop[:1], strict=True)]
    places = [np.array(a) + share * (np.array(b) - np.array(a)) for a, b in lines]
    return np.concatenate([p[:-1] for p in places]), np.concatenate([p[1:] for p in places]), np.array(lines)


def shot_at_random(count: int, edges: Floats) -> float:
    """View factor from the floor to the crown by rays that leave as a grey, diffuse surface lets them."""
    random = np.random.default_rng(3)
    place = np.column_stack([random.uniform(size=count), np.zeros(count)])
    sine = random.uniform(-1, 1, count)
    way = np.column_stack([sine, np.sqrt(1 - sine**2)])
    nearest, hit = np.full(count, np.inf), np.full(count, -1)
    for number, (a, b) in enumerate(edges[1:], start=1):
        along = b - a
        across = way[:, 0] * along[1] - way[:, 1] * along[0]
        to = a - place
        with np.errstate(all="ignore"):
            far = (to[:, 0] * along[1] - to[:, 1] * along[0]) / across
            share = (to[:, 0] * way[:, 1] - to[:, 1] * way[:, 0]) / across
        own = (far > 1e-12) & (far < nearest) & (share >= 0) & (share <= 1)
        nearest[own], hit[own] = far[own], number
    return float((hit == 2).mean())


def edited() -> float:
    """Seconds from another emissivity to answers, without their errors, the median of five."""
    flow, case = Flow(), family("ware-chamber").case()
    flow.run(case)
    seconds = []
    for number in range(5):
        other = with_value(case, ("parameters", "e_brick"), f"0.{60 + number}")
        begin = time.perf_counter()
        next(each for each in flow.outcomes(other) if each.checks)
        seconds.append(time.perf_counter() - begin)
    return float(np.median(seconds))


if __name__ == "__main__":
    main()
