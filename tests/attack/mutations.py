"""What a file or a case becomes when something in it is changed by chance."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from random import Random
from typing import Any

from blunt_ember.errors import DataPath

#: What may stand anywhere by mistake, or on purpose.
JUNK: tuple[Any, ...] = (
    None,
    True,
    0,
    -1,
    1e308,
    float("nan"),
    float("inf"),
    "",
    " ",
    "\x00",
    "0",
    "-5 mm",
    "1e400 m",
    "1e-300 m",
    "nan",
    "inf K",
    "1e12 m",
    "0 K",
    "-300 °C",
    "1 kg",
    "x",
    "t",
    "T",
    "x/0",
    "1/(x - x)",
    "ln(x - 1 m)",
    "exp(1000*T/(1 K))*1 W/(m K)",
    "2^9999999",
    "__import__('os')",
    "(" * 60 + "1" + ")" * 60,
    "9" * 400,
    "a" * 5000,
    "../../../etc/passwd",
    "/dev/zero",
    "auto",
    "steady",
    "brick",
    "body",
    [],
    {},
    [[]],
    [1, 2, 3],
    ["1 mm", "1 mm", "1 mm", "1 mm"],
    {"table": []},
    {"table": [["20 °C", "1 W/(m K)"], ["20 °C", "2 W/(m K)"]]},
    {"void": True},
)
#: Bytes that break what reads them.
_BYTES = (b"\x00", b"\xff\xfe", b"<", b">", b'"', b"&", b"--5", b"1e300", b"NaN", b"\n", b"0", b"-", b"{", b"]", b"\\")


def places_in(data: Any, path: DataPath = ()) -> list[DataPath]:
    """Return the path to everything in JSON data."""
    found = [path] if path else []
    inner = data.items() if isinstance(data, Mapping) else enumerate(data) if isinstance(data, list) else ()
    for key, value in inner:
        found += places_in(value, (*path, key))
    return found


def mutated_data(data: Any, random: Random) -> Any:
    """Return JSON data with something in it removed, doubled, moved or made junk."""
    path = random.choice(places_in(data))
    ways: tuple[Callable[[Any], Any], ...] = (
        lambda value: random.choice(JUNK),
        lambda value: random.choice(JUNK),
        lambda value: _scaled(value, random),
        lambda value: [value, value],
        lambda value: {"at": value},
        lambda value: _at(data, random.choice(places_in(data))),
    )
    return _changed(data, path, None if random.random() < 0.1 else random.choice(ways))


def _scaled(value: Any, random: Random) -> Any:
    """A quantity many times as large, or as small, or with its sign turned."""
    factor = random.choice(("-1", "0", "1e-9", "1e-3", "1e3", "1e9", "1e30"))
    return f"{factor}*({value})" if isinstance(value, str) else value


def _at(data: Any, path: DataPath) -> Any:
    for key in path:
        data = data[key]
    return data


def _changed(data: Any, path: DataPath, way: Callable[[Any], Any] | None) -> Any:
    key, *rest = path
    made: Any = list(data) if isinstance(data, list) else dict(data)
    if rest:
        made[key] = _changed(made[key], tuple(rest), way)
    elif way is None:
        del made[key]
    else:
        made[key] = way(made[key])
    return made


def mutated_bytes(raw: bytes, random: Random) -> bytes:
    """Return the bytes of a file with some of them removed, doubled, exchanged or made junk."""
    for _ in range(random.randint(1, 4)):
        start = random.randrange(len(raw) + 1)
        end = min(start + random.choice((0, 1, 2, 8, 64, 400)), len(raw))
        piece = random.choice((b"", random.choice(_BYTES), raw[start:end] * 2, raw[end : end + 20], _BYTES[0] * 30))
        raw = raw[:start] + piece + raw[end:]
    return raw
