"""What a guide says: how far it is, what to do now, what is wrong, and whether it is enough."""

from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class Status:
    """``progress`` from 0 to 1; ``now`` is the next thing to do; ``wrong`` is what spoils it at this moment.

    ``picture`` holds what the guide's figure draws.
    """

    progress: float
    now: str
    wrong: tuple[str, ...] = ()
    is_enough: bool = False
    picture: dict[str, Any] = field(default_factory=dict)
