"""How long reading the sensors keeps a bus busy."""

from dataclasses import dataclass

from fusus.core.parts.fields import PartKind
from fusus.core.parts.part import Completed
from fusus.core.timing.transfer import Bus, transfer_s

# Bytes of one burst read: IMU with temperature, pressure with temperature, field. Common practice.
BYTES: dict[PartKind, int] = {"imu": 14, "barometer": 6, "magnetometer": 7, "receiver": 0, "rangefinder": 2}


@dataclass(frozen=True, slots=True)
class BusTime:
    """What one part takes of its bus: one read in s, reads a second, share of the time."""

    part: str
    bus: str
    read_s: float
    rate_hz: float

    @property
    def share(self) -> float:
        """The share of its bus's time."""
        return self.read_s * self.rate_hz


def bus_times(parts: tuple[Completed, ...], loop_hz: float) -> tuple[BusTime, ...]:
    """Return what each part takes of its bus: the IMU is read once a control cycle, the others at their own rates."""
    out = []
    for p in parts:
        kind, word = p.part.kind, p.part.word("bus")
        if BYTES[kind] == 0 or word not in ("I2C", "SPI"):
            continue  # a UART is read as it comes: no time of a bus
        bus: Bus = "I2C" if word == "I2C" else "SPI"
        rate = loop_hz if kind == "imu" else p.get("rate", p.get("mag_rate", 50.0))
        out.append(BusTime(p.part.name, bus, transfer_s(bus, BYTES[kind]), rate))
    return tuple(out)


def busiest(times: tuple[BusTime, ...]) -> tuple[str, float]:
    """Return the bus that is busiest, and its share; parts on one kind of bus share it."""
    shares = {bus: sum(t.share for t in times if t.bus == bus) for bus in ("I2C", "SPI")}
    bus = max(shares, key=lambda b: shares[b])
    return bus, shares[bus]
