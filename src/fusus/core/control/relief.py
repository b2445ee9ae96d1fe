"""Which gain to lower, and to what share, so that a loop bears enough: found by trying, since it is not always P."""

from dataclasses import dataclass, replace

from fusus.core.control.elements import Controller, Element, open_loop
from fusus.core.control.margins import Margins, margins

SHARES = (0.7, 0.5, 0.35, 0.25)
# What helps less than this, in distance from the point of swinging, is no help.
HELPS = 0.05


@dataclass(frozen=True, slots=True)
class Relief:
    """``gains`` to lower ("D", "I", "P" or "P, I and D") to a ``share``, and the ``margins`` that come of it."""

    gains: str
    share: float
    margins: Margins


def relief(controller: Controller, rest: tuple[Element, ...]) -> Relief | None:
    """Return the mildest lowering of one gain, or else of all alike, that leaves a sound margin.

    Where none does, the one that brings it furthest from swinging; None where none helps: then delays and lags are what to shorten.
    """
    before = margins(lambda w: open_loop((controller, *rest), w))
    best: Relief | None = None
    for share in SHARES:
        tries = {
            "D": replace(controller, kd=share * controller.kd),
            "I": replace(controller, ki=share * controller.ki),
            "P": replace(controller, kp=share * controller.kp),
            "P, I and D": replace(
                controller, kp=share * controller.kp, ki=share * controller.ki, kd=share * controller.kd
            ),
        }
        for gains, lowered in tries.items():
            if lowered == controller:
                continue
            found = Relief(gains, share, margins(lambda w, c=lowered: open_loop((c, *rest), w)))  # type: ignore[misc]
            if found.margins.is_sound:
                return found
            if best is None or _rank(found.margins) > _rank(best.margins):
                best = found
    helps = best is not None and (best.margins.is_stable, best.margins.modulus) > (
        before.is_stable, before.modulus + (HELPS if best.margins.is_stable == before.is_stable else 0.0),
    )  # fmt: skip
    return best if helps else None


def _rank(found: Margins) -> tuple[bool, float]:
    """Settling first, then the distance from the point of swinging; of loops that do not settle the nearest to it."""
    return found.is_stable, found.modulus if found.is_stable else -found.modulus
