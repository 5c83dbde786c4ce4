"""Imports that are looked through neither meanwhile nor later for what can be thrown away: nothing of them ever is.

And none that nobody asks for: SciPy takes every name of NumPy, and so imports what NumPy only has for compiling Fortran
and for testing, 85 modules and a fifth of the time of ``scipy.sparse``.
"""

from __future__ import annotations

import gc
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from importlib.util import LazyLoader, find_spec, module_from_spec

#: Parts of NumPy that are imported when something of theirs is first asked for.
_SELDOM = ("f2py", "testing", "ctypeslib")


@contextmanager
def kept_imports() -> Iterator[None]:
    """Keep all that is imported within: imports take a twelfth less, and each edit of the window 12 ms."""
    gc.disable()
    try:
        put_off_seldom_imports()
        yield
    finally:
        keep_imported()


def keep_imported() -> None:
    """Keep all that there is, and look from now on through what comes."""
    gc.freeze()
    gc.enable()


def put_off_seldom_imports() -> None:
    """Let the parts of NumPy that we have no use for wait until something of theirs is asked for."""
    import numpy as np

    for part in _SELDOM:
        name = f"numpy.{part}"
        spec = None if name in sys.modules else find_spec(name)
        if spec is not None and spec.loader is not None:
            spec.loader = LazyLoader(spec.loader)
            module = module_from_spec(spec)
            sys.modules[name] = module
            spec.loader.exec_module(module)
            setattr(np, part, module)
