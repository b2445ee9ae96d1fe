"""A list of listeners; knows nothing of any interface."""

from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


class Signal(Generic[T]):
    """Calls every connected function with the emitted value, in the order of connection."""

    def __init__(self) -> None:
        self._listeners: dict[int, Callable[[T], object]] = {}
        self._next = 0

    def connect(self, listener: Callable[[T], object]) -> Callable[..., None]:
        """Add a listener and return the function that takes it off again."""
        key = self._next
        self._next += 1
        self._listeners[key] = listener

        def disconnect(*_: object) -> None:
            self._listeners.pop(key, None)

        return disconnect

    def emit(self, value: T) -> None:
        """Call the listeners."""
        for listener in list(self._listeners.values()):
            listener(value)

    def __len__(self) -> int:
        return len(self._listeners)
