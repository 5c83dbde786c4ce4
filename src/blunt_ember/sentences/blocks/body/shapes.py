"""Shapes of regions as words and entries of a sentence."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.document.regions import (
    AnyRegion,
    Disc,
    Outline,
    Polygon,
    Rectangle,
    RegularPolygon,
    Ring,
    RingSector,
    Sheet,
)
from blunt_ember.case.editing.edits import with_value
from blunt_ember.errors import DataPath
from blunt_ember.sentences.parts import Entry, SentencePart, Word, entry

#: Corners that are listed in the sheet; an outline with more is edited in its file.
LISTED = 16


def shape_words(case: Case, path: DataPath, region: AnyRegion) -> list[SentencePart]:
    """Return the words that say what a region looks like."""
    words = _words(case, path, region)
    for number in range(len(region.cuts or ())):
        cut = (*path, "cuts", number)
        words.append(Word("cut through"))
        words += [*entry(case, (*cut, "through", 0), "x of the cut, from its reference point"), Word(",")]
        words += [*entry(case, (*cut, "through", 1), "y of the cut, from its reference point"), Word("along")]
        words += entry(case, (*cut, "along"), "Direction of the cut, such as 90°; its left is taken away")
    if region.repeat is not None:
        words += [Word("×"), _count(path, region.repeat.count)]
        if region.repeat.step is not None:
            words += [
                Word("every"),
                *entry(case, (*path, "repeat", "step", 0), "Step in x"),
                Word(","),
                *entry(case, (*path, "repeat", "step", 1), "Step in y"),
            ]
        else:
            words += [Word("every"), *entry(case, (*path, "repeat", "turn"), "Angle from one to the next, such as 30°")]
    return words


def _words(case: Case, path: DataPath, region: AnyRegion) -> list[SentencePart]:
    match region:
        case Rectangle():
            return [
                Word("rectangle"),
                *entry(case, (*path, "size", 0), "Width, such as 114 mm"),
                Word("×"),
                *entry(case, (*path, "size", 1), "Height, such as 100 mm"),
            ]
        case Disc():
            return [Word("disc of radius"), *entry(case, (*path, "radius"), "Radius, such as 20 mm")]
        case Ring():
            return [
                Word("ring from"),
                *entry(case, (*path, "inner"), "Inner radius, such as 20 mm"),
                Word("to"),
                *entry(case, (*path, "outer"), "Outer radius, such as 30 mm"),
            ]
        case RingSector():
            inner = [*entry(case, (*path, "inner"), "Inner radius"), Word("to")] if region.inner is not None else []
            return [
                Word("ring sector from" if inner else "sector of radius"),
                *inner,
                *entry(case, (*path, "outer"), "Outer radius"),
                Word(", from"),
                *entry(case, (*path, "start"), "Angle of the start, such as -90°"),
                Word("to"),
                *entry(case, (*path, "end"), "Angle of the end, such as 90°"),
            ]
        case RegularPolygon():
            return [
                Word("regular polygon of"),
                _sides(path, region.sides),
                Word("sides, radius"),
                *entry(case, (*path, "radius"), "From the centre to the corners"),
            ]
        case Polygon():
            return [Word("polygon"), *_corners(case, [(*path, "points", n) for n in range(len(region.points))])]
        case Sheet():
            thickness = entry(case, (*path, "thickness"), "Thickness, such as 0.1 mm") if region.thickness else []
            said = [*thickness, Word("thick")] if thickness else []
            start, end = (_corners(case, [(*path, key)]) for key in ("start", "end"))
            return [Word("thin sheet"), *said, Word("from"), *start, Word("to"), *end]
        case Outline():
            steps = [(*path, "path", number, "to") for number in range(len(region.path))]
            return [Word("outline"), *_corners(case, [(*path, "start"), *steps])]


def _corners(case: Case, paths: list[DataPath]) -> list[SentencePart]:
    if len(paths) > LISTED:
        return [Word(f"of {len(paths)} corners")]
    words: list[SentencePart] = []
    for path in paths:
        words += [
            Word("("),
            *entry(case, (*path, 0), "x of this corner"),
            Word(","),
            *entry(case, (*path, 1), "y of this corner"),
            Word(")"),
        ]
    return words


def _sides(path: DataPath, sides: int) -> Entry:
    return whole_entry(f"{path[-1]} sides", (*path, "sides"), sides, "How many sides, 3 or more")


def _count(path: DataPath, count: int) -> Entry:
    return whole_entry(f"{path[-1]} count", (*path, "repeat", "count"), count, "How many there are in all")


def whole_entry(key: str, path: DataPath, value: int, hint: str) -> Entry:
    """Return the entry for a whole number."""

    def change(now: Case, typed: str) -> Case:
        text = typed.strip()
        return with_value(now, path, int(text) if text.isdigit() and len(text) < 6 else text)

    return Entry(key, str(value), hint, change)
