"""Surfaces that see each other: views of a cavity with a post beside rays shot at random, and an edit of an emissivity.

A plain estimate by random rays stands beside the crossed strings: its error falls with the root of their number, so the
time it would take to come as near is told from what a few take.
"""

from __future__ import annotations

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
    edit = edited()
    print(f"an emissivity edited to finished answers, 76 facets: {edit * 1e3:.0f} ms")
    figures = {
        "enclosures: plane cavity of 2 000 facets": seconds / unit,
        "enclosures: ball in a shell of 120 rings": turned / unit,
        "enclosures: emissivity edited to answers": edit / unit,
    }
    print(*compared(figures, "--keep" in sys.argv), sep="\n")


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
