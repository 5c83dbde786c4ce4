"""What can be asked of a case: every question that may be added to it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from blunt_ember.case.case import Case
from blunt_ember.case.document.enclosures import OPENING
from blunt_ember.case.document.questions.derived import formula_name
from blunt_ember.case.document.questions.question import named
from blunt_ember.case.editing.edits import free_name
from blunt_ember.fem.reading import region_at
from blunt_ember.flow.outcome import Outcome
from blunt_ember.immutable import immutable
from blunt_ember.sentences.parts import Edit, Option, adding, length_text


@immutable
class _Box:
    """Places of a body to begin from: its middle, one ``inside`` it near there, both ends of a line ``across`` it
    through that one, and a quarter of how wide it is at least."""

    middle: list[str]
    inside: list[str]
    across: tuple[list[str], list[str]]
    quarter: str


def _box_of(case: Case, outcome: Outcome | None) -> _Box:
    """The places of a body, or the origin where it is not known yet."""
    count = len(case.document.body.coordinates)
    geometry, mesh = (outcome.geometry, outcome.mesh) if outcome is not None else (None, None)
    if geometry is None or len(geometry.low) != count:
        origin = ["0 mm"] * count
        return _Box(origin, origin, (origin, ["10 mm", *origin[1:]]), "10 mm")
    low, high = np.array(geometry.low), np.array(geometry.high)
    middle = inside = (low + high) / 2
    if mesh is not None and mesh.dimension == count and region_at(mesh, middle) is None:
        inside = mesh.points[np.linalg.norm(mesh.points - middle, axis=1).argmin()]
    texts = [[length_text(each) for each in place.tolist()] for place in (middle, inside, low, high)]
    across = tuple([end[0], *texts[1][1:]] for end in texts[2:])
    return _Box(texts[0], texts[1], (across[0], across[1]), length_text(float((high - low).min()) / 4))


def _new_on_radiation(case: Case, ask: Callable[..., Edit]) -> list[Option]:
    """What may be asked of surfaces that see each other: by name, or those of the first two faces there are."""
    faces = [face for enclosure in case.document.enclosures.values() for face in enclosure.faces]
    named = list(dict.fromkeys(name for face in faces for name in face.surfaces))
    options = [Option("net heat radiated to", options=tuple(Option(n, ask("radiated", radiation=n)) for n in named))]
    for words, key in (("view factor from", "view_factor"), ("net heat radiated from", "exchange")):
        pairs = tuple(
            Option(
                first,
                options=tuple(
                    Option(f"to {other}", ask(key.replace("_", " "), **{key: first, "to": other}))
                    for other in (*named, OPENING)
                ),
            )
            for first in named
        )
        options.append(Option(words, options=pairs))
    return options if named else []


def _new_on_environments(case: Case, ask: Callable[..., Edit]) -> list[Option]:
    """What may be asked of environments, where there are two."""
    names = tuple(case.document.environments)
    if len(names) < 2:
        return []
    pairs = tuple(
        Option(
            first,
            options=tuple(Option(f"and {to}", ask("coupling", coupling=first, to=to)) for to in names if to != first),
        )
        for first in names
    )
    junctions = tuple(
        Option(
            first,
            options=tuple(
                Option(f"to {to}", ask("psi", transmittance=first, to=to, lengths="inner"))
                for to in names
                if to != first
            ),
        )
        for first in names
    )
    points = tuple(
        Option(
            first,
            options=tuple(
                Option(f"to {to}", ask("chi", point_transmittance=first, to=to)) for to in names if to != first
            ),
        )
        for first in names
    )
    rooms = tuple(Option(name, ask("factor", temperature_factor=name)) for name in names)
    humid = tuple(Option(name, ask("humidity", surface_humidity=name, humidity="50 %")) for name in names)
    return [
        Option("thermal coupling coefficient of", options=pairs),
        *([Option("linear transmittance ψ of", options=junctions)] if case.document.body.kind == "section" else []),
        *(
            [Option("point transmittance χ of", options=points)]
            if case.document.body.kind not in ("section", "rod")
            else []
        ),
        Option("temperature factor at the coldest place of", options=rooms),
        Option("humidity at the coldest place of", options=humid),
    ]


def new_questions(case: Case, surfaces: tuple[str, ...], outcome: Outcome | None) -> tuple[Option, ...]:
    """Return all that can be asked of a case and its ``surfaces``; places are those of the body of an ``outcome``."""
    taken = [question.name for question in case.document.questions]

    def ask(stem: str, **asked: Any) -> Edit:
        return adding(("questions",), {"name": free_name(stem, taken), **asked})

    kinds: dict[str, Callable[[Any], Edit]] = {
        "heat flow through": lambda s: ask(
            "heat flow", heat_flow=s, **({"basis": "area"} if isinstance(s, str) else {})
        ),
        "highest temperature of a surface": lambda s: ask("highest", highest=s),
        "lowest temperature of a surface": lambda s: ask("lowest", lowest=s),
        "mean temperature of a surface": lambda s: ask("mean", mean=s),
    }
    # What meets the same is often asked about together.
    together = [list(each.surfaces) for each in case.document.surroundings if len(each.surfaces) > 1]
    options = [
        Option(words, options=tuple(Option(named(each), make(each)) for each in (*together, *surfaces)))
        for words, make in kinds.items()
    ]
    options += _new_on_radiation(case, ask)
    options += _new_on_environments(case, ask)
    regions = ("body", *case.document.body.fillings)
    if case.document.running_clock is not None:
        hot = {"passes": "100 °C", "highest": "body"}
        options += [
            Option(
                "heat passed through",
                options=tuple(Option(name, ask("heat passed", heat_passed=name)) for name in surfaces),
            ),
            Option("heat stored in", options=tuple(Option(name, ask("stored", heat_stored=name)) for name in regions)),
            Option("the time when a temperature is passed", ask("time", when=hot)),
            Option("the time when it has settled", ask("settled", when={"settled": "0.5 K"})),
        ]
    options += [
        Option(
            f"{measure} temperature in a region",
            options=tuple(Option(name, ask(measure, **{measure: name})) for name in regions),
        )
        for measure in ("highest", "lowest", "mean")
    ]
    origin = ["0 mm"] * len(case.document.body.coordinates)

    def ask_about(stem: str, asked: Callable[[_Box], dict[str, Any]]) -> Edit:
        """Ask at places that are found when they are wanted."""
        return lambda now: ask(stem, **asked(_box_of(now, outcome)))(now)

    options.append(Option("temperature at a point", ask_about("point", lambda box: {"temperature": box.inside})))
    line = ask_about("line", lambda box: {"mean": {"start": box.across[0], "end": box.across[1]}})
    options.append(Option("mean temperature along a line", line))
    if len(surfaces) > 1:  # which two is said in the sentence
        pair = [surfaces[0], surfaces[1]]
        options.append(Option("mean temperature from one surface to another", ask("way", mean={"between": pair})))
        if len(origin) == 3:
            options.append(Option("mean temperature along the edge of two surfaces", ask("edge", mean={"edge": pair})))
    if len(origin) == 2:
        options.append(
            Option(
                "mean temperature along",
                options=tuple(Option(name, ask("edge", mean={"edge": name})) for name in surfaces),
            )
        )
    if len(origin) > 1:
        circle = ask_about("circle", lambda box: {"mean": {"centre": box.middle, "radius": box.quarter}})
        options.append(Option("mean temperature round a circle", circle))
    if taken:
        options.append(Option("a formula over other answers", ask("derived", derived=formula_name(taken[-1]))))
    return tuple(options)
