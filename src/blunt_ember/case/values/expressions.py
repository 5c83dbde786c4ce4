"""Quantities and formulas as text: ``114 mm``, ``t_brick/k_brick``, ``(980 °C - 25 °C)/R``.

The grammar is a whitelist (numbers with units, names, + - * / ^, brackets and the functions of
:data:`FUNCTIONS`); nothing in it can reach Python, so a case file from a stranger is safe to open. A unit follows its
number, and runs on over ``/`` only where that is attached to it: ``12 W/(m² K)`` is one number, ``12 W / h`` divides.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from functools import lru_cache

from blunt_ember.case.values.formula_tree import Call, Literal, NameNode, Negative, Node, Operation, names_in
from blunt_ember.case.values.spellings import plainly
from blunt_ember.case.values.units import (
    UnknownUnitError,
    is_unit,
    single_unit,
    split_power,
    superscript_value,
    unit_error,
)
from blunt_ember.errors import ExpressionError
from blunt_ember.immutable import immutable

MAX_LENGTH = 2000
MAX_DEPTH = 40
#: Units at most that are mended in what is offered in place of a text.
_MENDED = 4

_TOKEN = re.compile(
    r"(?P<space>\s+)"
    r"|(?P<number>(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?)"
    r"|(?P<name>°[CF]|℃|℉|[^\W\d⁰¹²³⁴-⁹][^\W⁰¹²³⁴-⁹]*|°|%)"
    r"|(?P<super>⁻?[⁰¹²³⁴-⁹]+)"
    r"|(?P<sign>\*\*|[-+*/^(),·⋅×−])"
)
#: Signs of degrees, of kelvin and others.
_DEGREES = ("K", "°C", "℃", "°F", "℉")
#: Variables that are spelled as units are.
_VARIABLES = ("x", "y", "z", "r", "t", "T")
#: Units that stand behind a sign between units, attached to both; any other is what the case calls so, if it does:
#: the A of ``20 W/m2K*A`` is an area, and no ampere.
_MEANT = frozenset(
    (
        *("m", "mm", "cm", "km", "um", "µm", "μm", "in", "inch", "ft", "feet", "foot", "ml", "cc", "liter"),
        *("s", "sec", "min", "h", "hr", "hour", "day", "K", "C", "F", "degC", "degF", "kelvin"),
        *("W", "kW", "mW", "MW", "J", "kJ", "MJ", "Wh", "kWh", "cal", "kcal", "Btu", "BTU"),
        *("g", "kg", "lb", "lbm", "Pa", "N", "mol"),
    )
)
_SIGNS = {"**": "^", "·": "*", "⋅": "*", "×": "*", "−": "-"}


@immutable
class Token:
    """A piece of the text; ``spaced`` tells whether white space stands before it."""

    kind: str
    text: str
    spaced: bool
    start: int


@lru_cache(maxsize=4096)
def parse(text: str) -> Node:
    """Return the syntax tree of ``text``; raise :class:`ExpressionError` where it cannot be read."""
    try:
        return _parsed(text)
    except UnknownUnitError as error:
        raise UnknownUnitError(error.name, error.near, _instead(text, error)) from None


def _parsed(text: str) -> Node:
    if len(text) > MAX_LENGTH:
        raise ExpressionError(f"the formula is longer than {MAX_LENGTH} characters")
    tokens = list(_tokens(plainly(text)))
    if not tokens:
        raise ExpressionError("nothing is stated")
    parser = _Parser(tokens)
    node = parser.sum(0)
    rest = parser.peek()
    if rest is not None:
        raise ExpressionError(parser.unexpected(rest))
    return node


def _instead(text: str, error: UnknownUnitError) -> tuple[str, ...]:
    """The text with units that are near in place of those there are not, where it is read then."""
    for _ in range(_MENDED):
        if error.near is None or error.near == error.name:
            return ()
        text = re.sub(rf"(?<![^\W_]){re.escape(error.name)}(?![^\W_])", error.near, text, count=1)
        try:
            _parsed(text)
        except UnknownUnitError as other:
            error = other
        except ExpressionError:
            return ()
        else:
            return (text,)
    return ()


def is_plain_number(text: str) -> bool:
    """Tell whether ``text`` is a number without a unit, other than zero."""
    try:
        node = parse(text)
    except ExpressionError:
        return False
    return isinstance(node, Literal) and not node.units and node.value != 0


def renamed(text: str, old: str, new: str) -> str:
    """Return the formula with every reference to ``old`` replaced; a unit of that spelling stays."""
    text = plainly(text)
    for name in sorted(names_in(parse(text)), key=lambda name: -name.start):
        if name.text == old:
            text = text[: name.start] + new + text[name.start + len(old) :]
    return text


def _tokens(text: str) -> Iterator[Token]:
    position, spaced = 0, False
    while position < len(text):
        match = _TOKEN.match(text, position)
        if match is None:
            raise ExpressionError(f"the sign {text[position]} has no meaning here")
        position = match.end()
        kind = match.lastgroup or ""
        if kind != "space":
            yield Token(kind, _SIGNS.get(match[0], match[0]), spaced, match.start())
        spaced = kind == "space"


class _Parser:
    """Recursive descent over the tokens, one method a level of binding."""

    def __init__(self, tokens: list[Token]) -> None:
        self.tokens = tokens
        self.position = 0

    def peek(self, ahead: int = 0) -> Token | None:
        index = self.position + ahead
        return self.tokens[index] if index < len(self.tokens) else None

    def sign(self, *signs: str, ahead: int = 0) -> bool:
        token = self.peek(ahead)
        return token is not None and token.kind == "sign" and token.text in signs

    def take(self) -> Token:
        token = self.peek()
        if token is None:
            raise ExpressionError("the formula stops in the middle")
        self.position += 1
        return token

    def expect(self, sign: str) -> None:
        if not self.sign(sign):
            token = self.peek()
            raise ExpressionError(f"'{sign}' is missing" + (f" before '{token.text}'" if token else " at the end"))
        self.position += 1

    def unexpected(self, token: Token) -> str:
        before = self.tokens[self.position - 1] if self.position else None
        if token.kind == "name" and before and before.kind == "number":
            return f"'{token.text}' is not a unit; a product is written with * between"
        return f"'{token.text}' is not expected here; a product is written with * between"

    def sum(self, depth: int) -> Node:
        if depth > MAX_DEPTH:
            raise ExpressionError("the brackets are nested too deep")
        node = self.product(depth)
        while self.sign("+", "-"):
            sign = self.take().text
            node = Operation(sign, node, self.product(depth))
        return node

    def product(self, depth: int) -> Node:
        node = self.signed(depth)
        while self.sign("*", "/"):
            sign = self.take()
            right = self.signed(depth)
            if sign.text == "*" or not sign.spaced:
                below = sign.text == "/" and isinstance(node, Literal)
                if below and isinstance(right, NameNode) and right.text in _DEGREES:
                    right = replace(right, degree=True)
                elif _has_units(node):
                    right = _perhaps_unit(right)
            node = Operation(sign.text, node, right)
        return node

    def signed(self, depth: int) -> Node:
        negative = False
        while self.sign("+", "-"):
            negative ^= self.take().text == "-"
        node = self.power(depth)
        if negative and isinstance(node, Literal):  # -5 °C is a reading below zero, not the opposite of 5 °C
            return Literal(-node.value, node.units)
        return Negative(node) if negative else node

    def power(self, depth: int) -> Node:
        node = self.atom(depth)
        token = self.peek()
        if token is not None and token.kind == "super":
            node = Operation("^", node, Literal(float(superscript_value(self.take().text)), ()))
        if self.sign("^"):
            self.take()
            if depth > MAX_DEPTH:
                raise ExpressionError("the powers are nested too deep")
            node = Operation("^", node, self.exponent(depth + 1))
        return node

    def exponent(self, depth: int) -> Node:
        negative = False
        while self.sign("+", "-"):
            negative ^= self.take().text == "-"
        node = self.power(depth)
        return Negative(node) if negative else node

    def atom(self, depth: int) -> Node:
        token = self.take()
        if token.kind == "number":
            return Literal(float(token.text), tuple(self.units() or self.divisors_alone()))
        if token.kind == "name":
            return self.named(token, depth)
        if token.text == "(":
            node = self.sum(depth + 1)
            self.expect(")")
            return node
        raise ExpressionError(f"'{token.text}' is not expected here")

    def named(self, token: Token, depth: int) -> Node:
        if not self.sign("("):
            return NameNode(token.text, token.start)
        self.take()
        arguments = [self.sum(depth + 1)]
        while self.sign(","):
            self.take()
            arguments.append(self.sum(depth + 1))
        self.expect(")")
        return Call(token.text, tuple(arguments))

    def units(self) -> list[tuple[str, int]]:
        """Read the unit behind a number, if there is one: juxtaposed units, then attached divisors."""
        units = self.unit_run()
        while units and self.sign("/", ahead=0) and self._attached_divisor():
            before = self.position
            self.take()
            if self.sign("("):
                self.take()
                divisor = self.unit_run(divisor=True)
                if not self.sign(")"):  # no unit: what the case calls so
                    self.position = before
                    break
                self.take()
            else:
                divisor = self.unit_run(divisor=True)
            units += [(name, -power) for name, power in divisor]
        return units

    def divisors_alone(self) -> list[tuple[str, int]]:
        """Read a unit that is written below one, behind a number: ``0.0012 1/K``."""
        one, slash, unit = self.peek(), self.peek(1), self.peek(2)
        if one is None or slash is None or unit is None or one.text != "1" or not one.spaced or slash.text != "/":
            return []
        if slash.spaced or unit.spaced or not self._is_unit(2):
            return []
        self.position += 2
        return [(name, -power) for name, power in self.unit_run(divisor=True)]

    def unit_run(self, divisor: bool = False) -> list[tuple[str, int]]:
        """Read units side by side, or with an attached sign for a product: ``m² K``, ``m²·K``, ``m2K``.

        In a ``divisor`` a length run together with a degree is no thousandth of one: ``W/mK``; and ``W/m-K`` is a
        product.
        """
        units: list[tuple[str, int]] = []
        while True:
            ahead = 1 if units and self.sign("*") and self._is_meant(1) and not self._is_variable(1) else 0
            ahead = ahead or int(divisor and bool(units) and self._hyphen())
            token = self.peek(ahead)
            if token is None or token.kind != "name" or self.sign("(", ahead=ahead + 1):
                break
            pairs = _unit_pairs(token.text, divisor)
            if pairs is None:
                if not units:
                    raise unit_error(token.text)
                break
            self.position += ahead + 1
            name, power = pairs[-1]
            units += [*pairs[:-1], (name, power * self.unit_power(name))]
        return units

    def _hyphen(self) -> bool:
        """Whether an attached hyphen leads to a degree: ``W/m-K``."""
        hyphen, unit = self.peek(), self.peek(1)
        attached = hyphen is not None and unit is not None and not hyphen.spaced and not unit.spaced
        return attached and self.sign("-") and unit is not None and unit.text in _DEGREES

    def unit_power(self, unit: str) -> int:
        """Read the power behind a ``unit``; what is taken away from a reading is none: ``980 °C-25 °C``."""
        token = self.peek()
        if token is not None and token.kind == "super":
            self.take()
            return superscript_value(token.text)
        ahead = 1 if self.sign("^") else 0
        if token is not None and (ahead or (self.sign("-") and not token.spaced)):
            negative = self.sign("-", ahead=ahead)
            number, behind = self.peek(ahead + negative), self.peek(ahead + negative + 1)
            if not ahead and (number is None or len(number.text) > 1 or _is_reading(unit, behind)):
                return 1
            if number is not None and number.kind == "number" and number.text.isdigit() and not number.spaced:
                self.position += ahead + negative + 1
                return -int(number.text[:3]) if negative else int(number.text[:3])
        return 1

    def _attached_divisor(self) -> bool:
        slash = self.peek()
        if slash is None or slash.spaced:
            return False
        if self._is_unit(1):
            return self._is_meant(1) and not self._is_variable(1)
        return self.sign("(", ahead=1) and self._is_unit(2)

    def _is_meant(self, ahead: int) -> bool:
        """Whether a unit behind a sign is meant, where the case may call something else so."""
        sign, token = self.peek(ahead - 1), self.peek(ahead)
        if sign is None or token is None or sign.spaced or token.spaced or not self._is_unit(ahead):
            return False
        return token.text in _MEANT or not token.text.isalpha() or len(_unit_pairs(token.text, divisor=True) or ()) > 1

    def _is_variable(self, ahead: int) -> bool:
        """Whether a sign before it leads to a variable: behind ``5 K*`` a t is the time, not a tonne."""
        token = self.peek(ahead)
        return token is not None and token.text in _VARIABLES

    def _is_unit(self, ahead: int) -> bool:
        token = self.peek(ahead)
        return token is not None and token.kind == "name" and _unit_pairs(token.text) is not None


def _has_units(node: Node) -> bool:
    """Whether a node is a number with its units, or that with what may be units of it."""
    if isinstance(node, Operation):
        return node.sign in "*/" and _has_units(node.left)
    return isinstance(node, Literal) and bool(node.units)


def _perhaps_unit(node: Node) -> Node:
    """A name, or a power of one, that may be a unit behind a sign."""
    if isinstance(node, Operation) and node.sign == "^":
        return replace(node, left=_perhaps_unit(node.left))
    if isinstance(node, NameNode) and node.text not in _VARIABLES and _unit_pairs(node.text) is not None:
        return replace(node, degree=True)
    return node


def units_named(text: str) -> tuple[tuple[str, int], ...]:
    """Return the units that a word is, each with its power; none where it is no unit."""
    return _unit_pairs(text) or ()


def _is_reading(unit: str, behind: Token | None) -> bool:
    """Whether a number between two units is a quantity of its own: that of °C, or the same unit stands behind."""
    found = single_unit(unit)
    return (found is not None and found.relative) or (behind is not None and behind.text == unit)


@lru_cache(maxsize=512)
def _unit_pairs(text: str, divisor: bool = False) -> tuple[tuple[str, int], ...] | None:
    """Read one word as units: ``mm``, ``m2``, or run together as the trade writes them, ``m2K``, ``kgK``."""
    together = re.fullmatch(r"(kg|g|m|h)([KCF]|h)", text)
    if together and together[1] != together[2] and (divisor or single_unit(text) is None):
        return ((together[1], 1), (together[2], 1))
    if single_unit(text) is not None:
        return ((text, 1),)
    split = split_power(text)
    if split is not None:
        return (split,)
    joined = re.fullmatch(r"(\D+\d)(\D+)", text)
    if joined and is_unit(joined[1]) and single_unit(joined[2]) is not None:
        first = split_power(joined[1])
        return (first or (joined[1], 1), (joined[2], 1))
    return None
