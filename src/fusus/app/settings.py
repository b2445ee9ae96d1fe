"""What the window remembers: each setting has a key, a default of its type, and a tip."""

from dataclasses import dataclass
from typing import Generic, TypeVar

from PyQt6.QtCore import QSettings

T = TypeVar("T", str, int, bool, float)


@dataclass(frozen=True, slots=True)
class Setting(Generic[T]):
    """One setting."""

    key: str
    default: T
    tip: str


THEME = Setting("look/theme", "desktop", "light, dark, or as the desktop has it")
LAST_PROJECT = Setting("projects/last", "", "the project that opens at the start")
RECENT = Setting("projects/recent", "", "projects opened before, one a line")
STAGE = Setting("look/stage", "brief", "the stage shown last")


class Settings:
    """Reads and writes settings with their default's type: stored as text, "false" would otherwise count as true."""

    def __init__(self, store: QSettings | None = None) -> None:
        self._store = store or QSettings("fusus", "fusus")

    def get(self, setting: Setting[T]) -> T:
        """Return a setting, or its default where nothing usable is stored."""
        raw = self._store.value(setting.key)
        if raw is None:
            return setting.default
        try:
            if isinstance(setting.default, bool):
                return str(raw).lower() in ("true", "1", "yes")
            return type(setting.default)(raw)
        except (TypeError, ValueError):
            return setting.default

    def put(self, setting: Setting[T], value: T) -> None:
        """Store a setting."""
        self._store.setValue(setting.key, value)

    def unit_of(self, path: str, default: str) -> str:
        """Return the unit in which a row is shown."""
        return str(self._store.value(f"units/{path}") or default)

    def put_unit(self, path: str, unit: str) -> None:
        """Remember a row's unit."""
        self._store.setValue(f"units/{path}", unit)
