"""What the window remembers between sessions, in the analyst's XDG configuration folder."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QByteArray, QSettings

RECENT = 8


class Settings:
    """Recent files, window geometry, theme, and which hints have been taken."""

    def __init__(self) -> None:
        self._store = QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "blunt-ember", "blunt-ember")

    @property
    def recent(self) -> list[Path]:
        """Files opened or saved lately, newest first."""
        stored = self._store.value("recent", [])
        names = [stored] if isinstance(stored, str) else list(stored or [])
        return [Path(name) for name in names if name]

    def remember(self, path: Path) -> None:
        """Put a file at the head of the recent ones."""
        path = path.absolute()
        others = [other for other in self.recent if other != path]
        self._store.setValue("recent", [str(entry) for entry in [path, *others][:RECENT]])

    @property
    def dark(self) -> bool:
        """Whether the dark theme was chosen."""
        return self._store.value("theme", "light") == "dark"

    @dark.setter
    def dark(self, dark: bool) -> None:
        self._store.setValue("theme", "dark" if dark else "light")

    @property
    def hints_used(self) -> tuple[str, ...]:
        """What has been done once, so that it need not be hinted at."""
        stored = self._store.value("hints", [])
        return (stored,) if isinstance(stored, str) else tuple(stored or ())

    @hints_used.setter
    def hints_used(self, used: tuple[str, ...]) -> None:
        self._store.setValue("hints", list(used))

    @property
    def folded(self) -> tuple[str, ...]:
        """The zones that are folded to their edge."""
        stored = self._store.value("folded", [])
        return (stored,) if isinstance(stored, str) else tuple(stored or ())

    @folded.setter
    def folded(self, zones: tuple[str, ...]) -> None:
        self._store.setValue("folded", list(zones))

    def layout(self, part: str) -> QByteArray | None:
        """Return the stored geometry of a part of the window."""
        stored = self._store.value(f"layout/{part}")
        return stored if isinstance(stored, QByteArray) else None

    def keep_layout(self, part: str, state: QByteArray) -> None:
        """Store the geometry of a part of the window."""
        self._store.setValue(f"layout/{part}", state)

    def flush(self) -> None:
        """Write what was stored."""
        self._store.sync()
