"""Bodies that a line can begin with, by their words, and the words for their sides."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from blunt_ember.noted.bodies_of_one_piece import ball, block, cylinder, fin, plate, ring_fin, rod, slab
from blunt_ember.noted.deep_body import half_space
from blunt_ember.noted.layered_bodies import cable, lying, pipe, shell, wall
from blunt_ember.noted.noted_body import BASE, FIRST_FACE, LAST_FACE, ON_THE_LEFT, ON_THE_RIGHT, MakesBody

#: Words for a body without end that also say where another one is: a ground floor.
SOILS = ("ground", "soil")
#: By the word a line begins with, what makes its body.
HEADS: Mapping[str, MakesBody] = MappingProxyType(
    {
        **dict.fromkeys(("wall", "window", "pane", "door", "glazing"), wall),
        **dict.fromkeys(("floor", "ceiling", "roof", "slab"), lying),
        **dict.fromkeys(("pipe", "tube", "duct"), pipe),
        "shell": shell,
        **dict.fromkeys(("ball", "sphere", "bead", "droplet", "pellet"), ball),
        **dict.fromkeys(("cylinder", "disc"), cylinder),
        **dict.fromkeys(("cable", "wire", "conductor"), cable),
        "fin": fin,
        "ring fin": ring_fin,
        **dict.fromkeys(("lid", "wedge"), slab),
        "plate": plate,
        "block": block,
        **dict.fromkeys(("rod", "bar", "pin"), rod),
        **dict.fromkeys(("half-space", "semi-infinite", *SOILS), half_space),
    }
)

#: Words that name a side of some body.
SIDE_WORDS = frozenset(
    [
        "inside",
        "outside",
        "inner",
        "outer",
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
        "edges",
        *BASE,
        *FIRST_FACE,
        *LAST_FACE,
        *ON_THE_LEFT,
        *ON_THE_RIGHT,
    ]
)
_HOLLOW = {"ball": "shell", "sphere": "shell", "cylinder": "pipe", "rod": "pipe", "bar": "pipe"}
#: Words before a body that make another one of it: what that is called, by what it is called otherwise.
OTHERWISE: Mapping[str, Mapping[str, str]] = MappingProxyType(
    {
        "hollow": _HOLLOW,
        "spherical": {"wall": "shell"},
        "cylindrical": {"wall": "pipe", "shell": "pipe"},
        **{word: {"shell": "shell"} for word in ("sphere", "ball")},
        "cylinder": {"shell": "pipe", "wall": "pipe"},
        **{word: {"fin": "ring fin"} for word in ("annular", "circular", "ring", "radial")},
        "deep": dict.fromkeys(("wall", "slab", "block", "floor", "ground", "soil"), "half-space"),
    }
)
#: Words for shapes that a line does not make, and the bodies of which they say nothing new.
UNMADE: Mapping[str, tuple[str, ...]] = MappingProxyType(
    {
        **dict.fromkeys(("corner", "l-shaped", "t-shaped", "u-shaped", "curved", "conical", "triangular"), ()),
        **dict.fromkeys(("hexagonal", "elliptic", "elliptical", "parabolic", "ribbed", "finned", "stepped"), ()),
        "tapered": ("lid", "wedge"),
        "rectangular": ("plate", "block", "fin", "wall", "slab", "lid", "door", "window", "pane"),
        "square": ("plate", "block"),
    }
)
#: Bodies that are full to their middle, of which one size alone is that across.
ROUND = frozenset(("ball", "sphere", "bead", "droplet", "pellet", "cylinder", "disc", "cable", "wire", "conductor"))
#: Bodies that are drawn as a section of them, of which heat may be said per metre.
LONG_AND_ROUND = frozenset(("pipe", "tube", "duct", "cable", "wire", "conductor"))
#: The two sides that are meant where two temperatures are said of its sides, by the body.
BOTH_SIDES: Mapping[str, tuple[str, str]] = MappingProxyType(
    {
        **dict.fromkeys(
            ("wall", "window", "pane", "door", "glazing", "floor", "ceiling", "roof", "slab"), ("left", "right")
        ),
        **dict.fromkeys(("pipe", "tube", "duct", "shell"), ("inside", "outside")),
        **dict.fromkeys(("rod", "bar", "pin", "fin"), ("base", "tip")),
        "plate": ("left", "right"),
    }
)
