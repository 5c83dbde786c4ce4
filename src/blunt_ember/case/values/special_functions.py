"""Special functions of plain numbers: SciPy's, which are imported when one of them is first needed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Function = Callable[..., Any]


def _of_scipy(name: str) -> Function:
    def function(*arguments: Any) -> Any:
        from scipy import special  # it takes nearly as long to come as all of NumPy

        return getattr(special, name)(*arguments)

    function.__name__ = function.__qualname__ = name
    return function


erf, erfc, exp1 = (_of_scipy(name) for name in ("erf", "erfc", "exp1"))
j0, j1, i0, i1, k0, k1 = (_of_scipy(name) for name in ("j0", "j1", "i0", "i1", "k0", "k1"))
i0e, iv = (_of_scipy(name) for name in ("i0e", "iv"))
ellipe, ellipk = (_of_scipy(name) for name in ("ellipe", "ellipk"))
