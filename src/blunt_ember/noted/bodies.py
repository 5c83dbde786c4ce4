"""Bodies that a line can begin with, by their words, and the words for their sides."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from blunt_ember.noted.bodies_of_one_piece import ball, block, cylinder, fin, plate, rod, slab
from blunt_ember.noted.layered_bodies import lying, pipe, shell, wall
from blunt_ember.noted.noted_body import MakesBody

#: By the word a line begins with, what makes its body.
HEADS: Mapping[str, MakesBody] = MappingProxyType(
    {
        **dict.fromkeys(("wall", "window", "pane", "door", "glazing"), wall),
        **dict.fromkeys(("floor", "ceiling", "roof", "slab"), lying),
        **dict.fromkeys(("pipe", "tube", "duct"), pipe),
        "shell": shell,
        **dict.fromkeys(("ball", "sphere"), ball),
        **dict.fromkeys(("cylinder", "disc"), cylinder),
        "fin": fin,
        **dict.fromkeys(("lid", "wedge"), slab),
        "plate": plate,
        "block": block,
        **dict.fromkeys(("rod", "bar", "pin"), rod),
    }
)

#: Words that name a side of some body.
SIDE_WORDS = frozenset(
    [
        "left",
        "right",
        "inside",
        "outside",
        "inner",
        "outer",
        "hot",
        "cold",
        "back",
        "top",
        "bottom",
        "both",
        "all",
        "bore",
        "rim",
        "skin",
        "within",
        "base",
        "root",
        "tip",
        "end",
        "ends",
        "side",
        "sides",
        "under",
        "below",
        "above",
        "front",
        "surface",
        "indoors",
        "t1",
        "t2",
        "t_in",
        "t_out",
    ]
)
#: What a body is called that is hollow, by what it is called otherwise.
HOLLOW_HEADS: Mapping[str, str] = MappingProxyType(
    {"ball": "shell", "sphere": "shell", "cylinder": "pipe", "rod": "pipe", "bar": "pipe"}
)
