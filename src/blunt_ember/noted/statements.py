"""What a phrase says of the surroundings of a body, and on which of its sides."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from blunt_ember.case.faults.structure_faults import nearest
from blunt_ember.case.values.units import AREA_RESISTANCE, EMISSIVITY, FILM_COEFFICIENT, HEAT_FLUX, TEMPERATURE, Kind
from blunt_ember.noted.bodies import SIDE_WORDS
from blunt_ember.noted.line_so_far import IDLE, REST, NotedStatement, NotUnderstood, ReadLine, lacking
from blunt_ember.noted.noted_body import FIRST_FACE, LAST_FACE, ON_THE_LEFT, ON_THE_RIGHT, NotedBody
from blunt_ember.noted.phrases import FILMS_WITHIN, FILMS_WITHOUT, RADIATES, NotedValue, NotedWord, Token

#: What surrounds a body, and whether it is rather the outside.
FLUIDS = {
    **dict.fromkeys(("air", "room", "ambient", "surroundings", "outdoors", "weather", "cellar"), True),
    **dict.fromkeys(("ground", "soil", "earth", "sea", "hall", "attic"), True),
    **dict.fromkeys(("tinf", "t_inf", "tamb", "t_amb", "tair", "t_air", "environment"), True),
    **dict.fromkeys(("ta", "t_a", "t∞", "t_∞", "tf", "t_f", "tfluid", "t_fluid", "tsur", "t_sur", "outdoor"), True),
    **dict.fromkeys(("gas", "gases", "flue", "water", "steam", "oil", "furnace", "fire", "melt", "fluid"), False),
    "indoor": False,
    **dict.fromkeys(("brine", "coolant", "refrigerant", "milk", "product", "vapour"), False),
}

_ACTING = (TEMPERATURE, FILM_COEFFICIENT, AREA_RESISTANCE, HEAT_FLUX, EMISSIVITY)
#: Words that only go with the one for a side: `both sides`, `inside surface`.
WITH_A_SIDE = frozenset(("side", "sides", "surface", "surfaces", "face", "faces", "edge", "edges"))
#: Words that say no more than the values beside them, and how many sides are left.
_BESIDE = frozenset(("t", "temp", "temperature", "to", "convection", "convective", "convecting", "heat", *RADIATES))
#: Words for the sides within or first, and for the others, on which film coefficients of their own are.
_WITHIN = frozenset(("inside", "inner", "within", "indoors", "bore", "left", *FIRST_FACE, *ON_THE_LEFT))
_WITHOUT = frozenset(("outside", "outer", "right", "rim", "skin", *LAST_FACE, *ON_THE_RIGHT))
_COUNTS = frozenset(("two", "three", "four", "five", "all", "both"))
#: What stands between two sides of which the same is said: `left and right`, `top/bottom`.
JOINING = frozenset(("and", "/", "&", "+"))


def names_sides_alone(read: Sequence[Token]) -> bool:
    """Whether a phrase names sides and says nothing of them: `left, right, bottom air 25 °C h 9` does so twice."""
    words = {token.text.lower() if isinstance(token, NotedWord) else "" for token in read}
    return bool(words & SIDE_WORDS) and words <= SIDE_WORDS | IDLE | WITH_A_SIDE | JOINING


def acts(token: Token) -> bool:
    """Whether it says what surrounds a body."""
    if isinstance(token, NotedWord):
        return token.text.lower() == "insulated" or token.text.lower() in SIDE_WORDS
    return token.kind in _ACTING and token.key != "r"


def one_by_one(read: list[Token], both: tuple[str, str] | None) -> list[list[Token]]:
    """Return a statement as it is, or the two that it makes where two temperatures are said of two sides: `surfaces at
    100 °C and 20 °C` means ``both`` sides of the body, in their order."""
    values = [place for place, token in enumerate(read) if isinstance(token, NotedValue)]
    if len(values) != 2 or both is None:
        return [read]
    first, second = (read[place] for place in values)
    between = [token for token in read[values[0] + 1 : values[1]] if isinstance(token, NotedWord)]
    same = all(isinstance(each, NotedValue) and each.kind is TEMPERATURE for each in (first, second))
    tied = [token.text.lower() for token in between] in (["and"], ["to"])
    tied = tied or (isinstance(first, NotedValue) and first.joined == "to" and not between)
    if not same or values[1] != len(read) - 1 or not tied:
        return [read]
    words = [token for token in read[: values[0]] if isinstance(token, NotedWord)]
    said = [token.text.lower() for token in words if token.text.lower() not in IDLE | JOINING | _BESIDE | _COUNTS]
    if len(said) == 2 and set(said) <= SIDE_WORDS:
        both = said[0], said[1]
    elif not (len(said) <= 1 and set(said) <= WITH_A_SIDE | {"ends"}):
        return [read]
    begin = read[0].start
    return [[NotedWord(side, begin, first.end), value] for side, value in zip(both, (first, second), strict=True)]


def read_statement(line: ReadLine, read: list[Token]) -> None:
    """What surrounds the body, on the sides that the phrase names or on one that is left over."""
    says: dict[Kind, str] = {}
    sides: list[NotedWord] = []
    fluid, outward, joining = False, False, False
    rest = any(isinstance(token, NotedWord) and token.text.lower() in REST for token in read)
    insulated, radiates, around, film, before = False, False, "", "", len(line.faults)
    for token in read:
        radiates = radiates or (token.text.lower() if isinstance(token, NotedWord) else token.key) in RADIATES
        if isinstance(token, NotedValue):
            if token.kind is TEMPERATURE and TEMPERATURE in says and (radiates or EMISSIVITY in says) and not around:
                around = token.text  # after that of the fluid
            elif token.kind in _ACTING:
                line.once(says, token.kind, token)
                film = token.key if token.kind is FILM_COEFFICIENT else film
            else:
                line.fault(token, f"'{token.text}' {lacking(token, '°C', 'a surface')}")
            continue
        word = token.text.lower()
        if word == "insulated":
            insulated = True
        elif word in FLUIDS:
            fluid, outward = True, outward or FLUIDS[word]
        elif word in JOINING:
            joining = bool(sides)
        elif (
            (word in WITH_A_SIDE and (sides or rest))
            or word in _BESIDE
            or (rest and word in _COUNTS)
            or (word == "end" and sides and not joining)
        ):
            continue
        elif word not in IDLE and (not sides or sides[-1].text.lower() in WITH_A_SIDE | {"both"}):
            sides[-1:], joining = [token], False
        elif joining and word in SIDE_WORDS:
            joining = False
            sides.append(token)
        elif word not in IDLE:
            line.fault(token, f"'{token.text}' is not understood beside '{sides[-1].text}'")
    alone = not (sides or rest or insulated) and film not in (*FILMS_WITHIN, *FILMS_WITHOUT)
    if alone and (not fluid or says.keys() == {TEMPERATURE}) and _goes_on(line, says, outward if fluid else None):
        return
    made = NotedStatement(sides, rest, fluid, outward, read[0].start, read[-1].end, film=film)
    temperature = says.get(TEMPERATURE)
    if insulated:
        made.says["insulated"] = True
    if FILM_COEFFICIENT in says and temperature:
        made.says["film"] = {"h": says[FILM_COEFFICIENT], "temperature": temperature}
    elif AREA_RESISTANCE in says and temperature:
        made.says["film"] = {"resistance": says[AREA_RESISTANCE], "temperature": temperature}
    elif FILM_COEFFICIENT in says:  # the next phrase may have it
        made.says["film"] = {"h": says[FILM_COEFFICIENT]}
    elif AREA_RESISTANCE in says:
        made.says["film"] = {"resistance": says[AREA_RESISTANCE]}
    if (EMISSIVITY in says or radiates) and temperature:
        emissivity = {"emissivity": says[EMISSIVITY]} if EMISSIVITY in says else {}
        made.says["radiation"] = {**emissivity, "temperature": around or temperature}
    elif EMISSIVITY in says or radiates:
        what = "what it radiates to has a temperature, such as 25 °C"
        line.faults.append(NotUnderstood(made.start, made.end, what))
    if HEAT_FLUX in says:
        made.says["flux"] = says[HEAT_FLUX]
    if temperature and not made.says:
        made.says["temperature"] = temperature
    elif temperature and not {"film", "radiation"} & made.says.keys():
        line.faults.append(NotUnderstood(made.start, made.end, f"it says nothing of what is at {temperature}"))
    if not (says or insulated) and len(line.faults) == before:
        line.faults.append(
            NotUnderstood(made.start, made.end, "say what acts there, such as '20 °C' or 'air 20 °C h 9'")
        )
    if made.says:
        line.statements.append(made)


def _goes_on(line: ReadLine, says: Mapping[Kind, str], outward: bool | None) -> bool:
    """Take what says no side as said of the fluid before it; whether there is one: a film coefficient by itself,
    `air 25 °C, h 40`, or that the side radiates besides, `air 25 °C h 9, emissivity 0.9`. The temperature of a fluid
    that is ``outward`` or not does not go with a film coefficient of the other side, `hi 8; Ta -5 °C`."""
    last = line.statements[-1] if line.statements else None
    if last is None:
        return False
    elsewhere = outward is not None and last.film in (FILMS_WITHIN if outward else FILMS_WITHOUT)
    if says.keys() == {TEMPERATURE} and "temperature" not in last.says.get("film", {"temperature": ""}):
        if elsewhere:
            return False
        last.says["film"]["temperature"] = says[TEMPERATURE]
        return True
    film = says.keys() & {FILM_COEFFICIENT, AREA_RESISTANCE}
    if len(says) == 1 and film and last.fluid and "temperature" in last.says:
        kind = film.pop()
        how = "h" if kind is FILM_COEFFICIENT else "resistance"
        last.says = {"film": {how: says[kind], "temperature": last.says["temperature"]}}
        return True
    if EMISSIVITY not in says or says.keys() - {EMISSIVITY, TEMPERATURE}:
        return False
    radiation = last.says.get("radiation")
    if radiation is None and last.says.keys() == {"film"}:
        radiation = {"temperature": says.get(TEMPERATURE) or last.says["film"]["temperature"]}
    elif radiation is None or "emissivity" in radiation or TEMPERATURE in says:
        return False
    last.says = {**last.says, "radiation": {"emissivity": says[EMISSIVITY], **radiation}}
    return True


def _join_films(line: ReadLine) -> None:
    """A film coefficient by itself that is called by its side, `hi = 40`, goes with the temperature that is said of
    that side, whichever comes first."""
    for stated in list(line.statements):
        if stated.says.keys() != {"film"} or "temperature" in stated.says["film"] or stated.sides or stated.rest:
            continue
        within = stated.film in FILMS_WITHIN
        if not within and stated.film not in FILMS_WITHOUT:
            continue
        meant = [each for each in line.statements if each.says.keys() == {"temperature"} and _is_on(each, within)]
        if len(meant) == 1:
            meant[0].says = {"film": {**stated.says["film"], **meant[0].says}}
            line.statements.remove(stated)


def _is_on(stated: NotedStatement, within: bool) -> bool:
    """Whether what is said is said of the side within, or of the other."""
    words = {side.text.lower() for side in stated.sides}
    if words:
        return words <= (_WITHIN if within else _WITHOUT)
    return stated.fluid and stated.outward != within


def _alone(says: Mapping[str, Any]) -> bool:
    """Whether something is said that stands alone: what is held, or insulated."""
    return not {"temperature", "insulated"}.isdisjoint(says)


def placed_statements(line: ReadLine, body: NotedBody) -> tuple[list[dict[str, Any]], list[str]]:
    """The statements on their surfaces: first those that name sides, then the others on what is left over."""
    _join_films(line)
    for stated in line.statements:
        if "temperature" not in stated.says.get("film", {"temperature": ""}):
            what = "a film has the temperature of its fluid, such as 25 °C"
            line.faults.append(NotUnderstood(stated.start, stated.end, what))
            del stated.says["film"]
    line.statements = [stated for stated in line.statements if stated.says]
    on: dict[int, tuple[str, ...]] = {}
    for number, stated in enumerate(line.statements):
        for word in stated.sides:
            side = word.text.lower()
            if side in body.sides:
                on[number] = tuple(dict.fromkeys((*on.get(number, ()), *body.sides[side])))
            else:
                meant = nearest(side, body.sides) or f"; there are {', '.join(body.sides)}"
                line.fault(word, f"'{side}' is no side of it{meant}")
    taken = {surface for surfaces in on.values() for surface in surfaces}
    unnamed = [number for number, stated in enumerate(line.statements) if not (stated.sides or stated.rest)]
    free = [word for word in body.order if not taken.issuperset(body.sides[word])]
    if len(unnamed) == 1 and len(free) == len(body.order) > 1 and line.statements[unnamed[0]].outward:
        free = free[-1:]
    for number in unnamed:
        if not free:
            stated = line.statements[number]
            line.faults.append(NotUnderstood(stated.start, stated.end, "there is no side left for it; name one"))
            continue
        on[number] = tuple(surface for surface in body.sides[free.pop(0)] if surface not in taken)
        taken.update(on[number])
    every = dict.fromkeys(surface for word in body.order for surface in body.sides[word])
    for number in [number for number, stated in enumerate(line.statements) if stated.rest]:
        on[number] = (*on.get(number, ()), *(surface for surface in every if surface not in taken))
        taken.update(on[number])
        if not on[number]:
            stated = line.statements[number]
            line.faults.append(NotUnderstood(stated.start, stated.end, "no side is left over; name one"))
            del on[number]
    made = []
    said: dict[str, dict[str, Any]] = {}
    for number, surfaces in sorted(on.items()):
        stated = line.statements[number]
        twice = [surface for surface in surfaces if surface in said and _alone({**said[surface], **stated.says})]
        if twice:
            what = f"'{twice[0].rpartition('.')[2]}' is stated before, and both cannot stand; this counts: remove one"
            line.faults.append(NotUnderstood(stated.start, stated.end, what))
        said |= dict.fromkeys(surfaces, stated.says)
        where = surfaces[0] if len(surfaces) == 1 else list(surfaces)
        made.append({"on": where, **line.statements[number].says})
    bare = [
        stated for stated in line.statements if "emissivity" not in stated.says.get("radiation", {"emissivity": ""})
    ]
    for stated in bare:
        what = "say how well it radiates, such as 'emissivity 0.9'"
        line.faults.append(NotUnderstood(stated.start, stated.end, what))
    missing = [] if on else ["what surrounds it, such as 'left 980 °C' or 'air 25 °C h 9'"]
    return made, missing
