"""How the trade writes numbers and units, brought to the one spelling that formulas are read in."""

from __future__ import annotations

import re

from blunt_ember.case.values.units import is_unit
from blunt_ember.errors import ExpressionError

_EXPONENTS = re.compile(r"(?<=\d[eE])−(?=\d)")
#: A minus as long as a dash, where a number begins and no range can be meant.
_DASHED = re.compile(r"(?:^|(?<=[(*/+=,^]))(?P<space>\s*)–(?=\s*[\d.])")
_THIN_SPACES = re.compile(r"(?<=\d)[\u2009\u202f\u00a0](?=\d{3}(?:\D|$))")
#: ``1 000`` with plain spaces: two numbers side by side mean nothing else.
_GROUPED = re.compile(r"(?<![\w.,^])\d{1,3}(?: \d{3})+(?![\d,])")
_WITH_COMMA = re.compile(r"(?<![\w.,])\d[\d.]*(?:,\d[\d.]*)+")
#: ``1.2×10^3``: not behind / or ^, where it would bind otherwise.
_TENS = re.compile(
    r"(?<![\w.,])(?P<number>\d+(?:\.\d*)?)\s*[×xX·⋅*]\s*10\s*"
    r"(?:(?:\^|\*\*)\s*(?P<plain>[-+−]?\d+)|(?P<raised>[⁻⁺]?[⁰¹²³⁴-⁹]+))(?![\d.^⁰¹²³⁴-⁹])"
)
_RAISED = str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹⁻⁺−", "0123456789-+-")
#: ``W/m.K``: a dot between units is a product.
_DOTTED = re.compile(r"(?<=[^\W\d_])\.(?=[^\W\d_]|°)|(?<=[²³])\.(?=[^\W\d_]|°)|(?<=[^\W\d_]-[1-4])\.(?=[^\W\d_]|°)")
#: ``22 deg C``, ``72 degrees F``: of an angle and a capacitance nobody speaks.
_DEGREE_WORDS = re.compile(r"(?<![^\W\d_])deg(?:ree)?s?\.?\s+(?P<scale>[CFK]|[Cc]elsius|[Ff]ahrenheit|[Kk]elvin)\b")
#: ``25 ° C``, and signs that look like that of a degree: an ordinal's, a ring.
_DEGREE_SIGN = re.compile(r"[°º˚]\s*(?=[CF](?![^\W_]))")
#: Inches and feet as they are marked, whole or in parts: ``3"``, ``1 1/2 in``, ``2½ in``.
_INCHES = re.compile(r"(?<=\d)\s*(?:''|[\"″”])"), re.compile(r"(?<=\d)\s*['′](?!')")
_PARTS_OF_INCHES = re.compile(
    r"(?<![\w.,)/*^])(?:(?P<whole>\d+)[ -])?(?P<over>\d+)/(?P<under>[1-9]\d*)\s*(?=(?:in|inch|inches)(?![\w^²³*/]))"
)
_PART_SIGNS = {"½": 0.5, "¼": 0.25, "¾": 0.75, "⅛": 0.125, "⅜": 0.375, "⅝": 0.625, "⅞": 0.875}
_WITH_PART = re.compile(rf"(?P<whole>\d*)\s?(?P<part>[{''.join(_PART_SIGNS)}])")
_SCALES = {"c": "°C", "f": "°F", "k": "K"}
#: ``Btu/hr-ft2-F``, ``m2-K/W``: units joined by hyphens, below a unit behind a number or above a heat flow.
_HYPHENED = re.compile(
    r"(?P<lead>\d\s*[^\W\d_]+(?:-in)?[²³]?\d?/\(?|\d\s+)"
    r"(?P<units>°?[^\W\d_]+[²³23]?(?:-°?[^\W\d_]+[²³23]?)+)(?P<over>/(?:k?W|Btu|BTU)\b)?(?![\w(])"
)
_DEGREES = frozenset(("K", "C", "F", "°C", "°F"))
_AREAS = frozenset(f"{side}{square}" for side in ("m", "cm", "ft", "in") for square in "2²")
_NUMBER_AND_UNIT = re.compile(r"^\s*[-+−]?(?:\d[\d.,\s]*)(?:[eE][-+−]?\d+)?\s*(?P<unit>[^\W\d_].*|[°%℃℉].*)$")
#: The name of a function before its bracket, and how long one is at most.
_NAMED, _LONGEST_NAME = re.compile(r"[^\W\d]\w*\s?$"), 12
_BARE_NUMBER = re.compile(r"^\s*[-+−]?(?:\d[\d.,]*|[.,]\d+)(?:[eE][-+−]?\d+)?\s*$")


def plainly(text: str) -> str:
    """Return a formula without spaces and commas in its numbers, without powers of ten, and without dots in its units.

    Raises :class:`ExpressionError` for a number that can be read in two ways, with both.
    """
    text = _EXPONENTS.sub("-", _THIN_SPACES.sub("", _DASHED.sub(r"\g<space>-", text)))
    text = _GROUPED.sub(lambda found: found[0].replace(" ", ""), text)
    if "," in text:
        text = _without_commas(text)
    text = _DEGREE_SIGN.sub("°", _in_inches(text))
    text = _DEGREE_WORDS.sub(lambda found: _SCALES[found["scale"][0].lower()], text)
    text = _DOTTED.sub("·", _TENS.sub(lambda found: _in_tens(found, text), text))
    return _HYPHENED.sub(_joined, text) if "-" in text else text


def _in_inches(text: str) -> str:
    """The parts of inches as decimals, and marks as units."""
    text = _WITH_PART.sub(lambda found: f"{int(found['whole'] or 0) + _PART_SIGNS[found['part']]:g}", text)
    for marks, unit in zip(_INCHES, (" in", " ft"), strict=True):
        text = marks.sub(unit, text)
    return _PARTS_OF_INCHES.sub(
        lambda found: f"{int(found['whole'] or 0) + int(found['over']) / int(found['under']):.12g} ", text
    )


def _joined(found: re.Match[str]) -> str:
    """Units with products for their hyphens, where a degree ends them or an area is among them; what else a hyphen
    may take away, a parameter that is called as a unit is, is left."""
    units = found["units"].split("-")
    ends = units[-1] in _DEGREES and not any(unit in _DEGREES or unit[-1] in "KCF" for unit in units[:-1])
    area = any(unit in _AREAS for unit in units)
    below = "/" in found["lead"]
    if not ((below and (ends or area)) or (found["over"] and area)) or not all(
        is_unit(unit.replace("²", "2")) for unit in units
    ):
        return found[0]
    return f"{found['lead'].replace('-in', '·in')}{'·'.join(units)}{found['over'] or ''}"


def with_unit_of(typed: str, before: str) -> str:
    """Return what was ``typed`` with the unit of what stood there ``before``, where it is a number alone.

    Raises :class:`ExpressionError` with both readings in place of a share in percent: 0.4 may mean 0.4 % or 40 %.
    """
    stood = _NUMBER_AND_UNIT.match(before)
    if stood is None or not _BARE_NUMBER.match(typed):
        return typed
    typed, unit = typed.strip(), stood["unit"].strip()
    share = float(plainly(typed).replace("−", "-")) if unit == "%" else 1.0
    if unit == "%" and 0 < share < 1:
        ways = f"{typed} %", f"{100 * share:.6g} %"
        raise ExpressionError(f"'{typed}' can be read in two ways: write '{ways[0]}' or '{ways[1]}'", ways)
    return f"{typed} {unit}"


def _in_tens(found: re.Match[str], text: str) -> str:
    before = text[: found.start()].rstrip(" +-−")
    if before.endswith(("/", "^", "**")):
        return found[0]
    power = (found["plain"] or found["raised"]).translate(_RAISED)
    return f"{found['number']}e{power}"


def _without_commas(text: str) -> str:
    """Commas in numbers, but for those between the arguments of a function."""
    pieces, end, in_call = [], 0, _in_calls(text)
    for found in _WITH_COMMA.finditer(text):
        if in_call[found.start()]:
            continue
        pieces += [text[end : found.start()], _decimal(found[0], text)]
        end = found.end()
    return "".join([*pieces, text[end:]])


def _in_calls(text: str) -> list[bool]:
    """Tell of every place whether the innermost open bracket there is that of a function."""
    opened: list[bool] = []
    found = []
    for place, sign in enumerate(text):
        found.append(bool(opened) and opened[-1])
        if sign == "(":
            opened.append(_NAMED.search(text[max(place - _LONGEST_NAME, 0) : place]) is not None)
        elif sign == ")" and opened:
            opened.pop()
    return found


def _decimal(number: str, text: str) -> str:
    if re.fullmatch(r"\d{1,3}(?:,\d{3})+\.\d+|\d{1,3}(?:,\d{3}){2,}", number):
        return number.replace(",", "")
    if re.fullmatch(r"\d{1,3}(?:\.\d{3})+,\d+", number):
        return number.replace(".", "").replace(",", ".")
    if re.fullmatch(r"[1-9]\d{0,2},\d{3}", number):
        ways = tuple(text.replace(number, number.replace(",", way)) for way in (".", ""))
        raise ExpressionError(f"'{number}' can be read in two ways: write '{ways[0]}' or '{ways[1]}'", ways)
    if number.count(",") == 1 and "." not in number:
        return number.replace(",", ".")
    raise ExpressionError(f"'{number}' is no number: one comma or point stands before its decimals")
