"""What the process that others are forked from imports first: neither it nor what it forks outlives the window.

It ends with the window even while it still imports, and what it forks ends with it from the first moment on.
"""

from __future__ import annotations

import gc
import os

from blunt_ember.flow.process.own_end import end_with, end_with_starter
from blunt_ember.kept_imports import put_off_seldom_imports


class _Forking:
    """Remembers which process forks."""

    def begin(self) -> None:
        """Called before, in the one that forks."""
        self._starter = os.getpid()

    def forked(self) -> None:
        """Called after, in the new one."""
        end_with(self._starter)
        gc.enable()


_forking = _Forking()
end_with_starter()
gc.disable()  # what is imported here is never thrown away
put_off_seldom_imports()
os.register_at_fork(before=_forking.begin, after_in_child=_forking.forked)
