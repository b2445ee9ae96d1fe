"""How long a transfer takes on a bus. No gaps of software and no clock stretching are counted."""

from typing import Literal

from fusus.core.arrays import check_range

Bus = Literal["I2C", "SPI", "UART"]
# The usual clock of each, Hz: fast mode, a cautious SPI, and a common telemetry rate.
USUAL_HZ: dict[Bus, float] = {"I2C": 400e3, "SPI": 8e6, "UART": 115200.0}
UART_BITS = 10  # one start, eight data, one stop


def transfer_s(
    bus: Bus, count: int, clock_hz: float | None = None, single: bool = False, bits: int = UART_BITS
) -> float:
    """Return how long reading ``count`` data bytes takes, s.

    I2C: address, register, address again, then the bytes, nine bits each, with start, repeated start and stop a bit each (byte
    format of the I2C-bus specification). SPI: the register and the bytes, eight bits each. UART: ``bits`` a byte, with its
    start and stop. ``single``: each byte is a read of its own, with all that goes before it; a UART knows no reads.
    """
    clock = USUAL_HZ[bus] if clock_hz is None else clock_hz
    check_range("Bus clock", clock, 1e3, 100e6, "Hz")
    check_range("Bytes", count, 0, 100_000, "")
    if count == 0:
        return 0.0
    if bus == "UART":
        return bits * count / clock
    reads, each = (count, 1) if single else (1, count)
    return reads * (9 * (3 + each) + 3 if bus == "I2C" else 8 * (1 + each)) / clock
