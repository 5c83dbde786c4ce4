"""Formulas once they are read: trees of numbers, names, signs and functions, and what stands in them."""

from __future__ import annotations

from collections.abc import Container, Iterator, Mapping
from dataclasses import field
from math import inf

from blunt_ember.immutable import immutable


@immutable
class Literal:
    """A number and the units behind it, as ``(name, power)`` pairs."""

    value: float
    units: tuple[tuple[str, int], ...]


@immutable
class NameNode:
    """A parameter, a line of the Working, or a variable such as ``x``.

    ``degree`` marks the sign of a degree right below a number, or a unit behind a sign, which are units where no name
    of the case is spelled so: ``0.0012/K``, ``20 W/m2K * A``.
    """

    text: str
    start: int = field(default=0, compare=False)
    degree: bool = field(default=False, compare=False)


@immutable
class Negative:
    """Minus in front of an operand."""

    operand: Node


@immutable
class Operation:
    """``left sign right`` for one of + - * / ^."""

    sign: str
    left: Node
    right: Node


@immutable
class Call:
    """A named function applied to arguments."""

    function: str
    arguments: tuple[Node, ...]


Node = Literal | NameNode | Negative | Operation | Call


def names_in(node: Node) -> Iterator[NameNode]:
    """Yield every name the expression refers to."""
    match node:
        case NameNode():
            yield node
        case Negative(operand):
            yield from names_in(operand)
        case Operation(_, left, right):
            yield from names_in(left)
            yield from names_in(right)
        case Call(_, arguments):
            for argument in arguments:
                yield from names_in(argument)


def calls_in(node: Node) -> frozenset[str]:
    """Return the names of all functions in an expression."""
    match node:
        case Negative(operand):
            return calls_in(operand)
        case Operation(_, left, right):
            return calls_in(left) | calls_in(right)
        case Call(function, arguments):
            return frozenset({function}).union(*(calls_in(argument) for argument in arguments))
        case _:
            return frozenset()


def degree_in(node: Node, variable: str) -> float:
    """Return the degree of an expression as a polynomial of a variable; infinite where it is none, or not plainly."""
    match node:
        case NameNode(text):
            return float(text == variable)
        case Negative(operand):
            return degree_in(operand, variable)
        case Operation(sign, left, right):
            first, second = degree_in(left, variable), degree_in(right, variable)
            if sign in "+-":
                return max(first, second)
            if sign == "*":
                return first + second
            if second == 0 and (sign == "/" or first == 0):
                return first
            return inf
        case Call(_, arguments):
            return inf if any(degree_in(argument, variable) for argument in arguments) else 0.0
        case _:
            return 0.0


def unknown_in(node: Node, names: Container[str]) -> set[str]:
    """Return the names in an expression that are not among ``names``, nor read as units then."""
    return {each.text for each in names_in(node) if each.text not in names and not each.degree}


def substituted(node: Node, meanings: Mapping[str, Node]) -> Node:
    """Return the expression with names replaced by what they stand for."""
    match node:
        case NameNode(text):
            return meanings.get(text, node)
        case Negative(operand):
            return Negative(substituted(operand, meanings))
        case Operation(sign, left, right):
            return Operation(sign, substituted(left, meanings), substituted(right, meanings))
        case Call(function, arguments):
            return Call(function, tuple(substituted(argument, meanings) for argument in arguments))
        case _:
            return node
