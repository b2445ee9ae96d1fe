"""C for firmware that prints the line protocol: generated for the chosen streams, the maker's own (0BSD)."""

from fusus.errors import RecordingError
from fusus.logs.lines import checksum, unit_of
from fusus.logs.streams import STREAMS

USUAL: dict[str, tuple[str, ...]] = {
    "imu": (
        "gyro_x_rad_s",
        "gyro_y_rad_s",
        "gyro_z_rad_s",
        "acc_x_m_s2",
        "acc_y_m_s2",
        "acc_z_m_s2",
        "temperature_degc",
    ),
    "mag": ("mag_x_ut", "mag_y_ut", "mag_z_ut"),
    "baro": ("pressure_pa", "temperature_degc"),
    "gnss": ("lat_deg", "lon_deg", "height_m", "vel_n_m_s", "vel_e_m_s", "vel_d_m_s", "h_acc_m", "satellites"),
    "battery": ("voltage_v", "current_a"),
    "motor": ("motor_1", "motor_2", "motor_3", "motor_4"),
    "stick": ("roll", "pitch", "yaw", "throttle"),
    "range": ("range_m",),
    "board": ("q_w", "q_x", "q_y", "q_z", *(f"gyro_bias_{a}_rad_s" for a in "xyz")),
}
# What an estimator that finds place and speed says too.
MOTION = (*(f"pos_{a}_m" for a in "ned"), *(f"vel_{a}_m_s" for a in "ned"))

_HEAD = """/* Prints sensor readings as lines that Fusus captures. 0BSD: yours to use as you like.
   Give send_line what writes a string to your serial port or UDP socket. Values are in SI units as the names say;
   doubles keep latitude and longitude whole. */
#include <stdint.h>
#include <stdio.h>
#include <string.h>

extern void send_line(const char *text);

static void finish_line(char *line, size_t size)
{
    uint8_t sum = 0;
    size_t n = strlen(line);
    for (size_t i = 0; i < n; i++) {
        sum = (uint8_t)(sum ^ (uint8_t)line[i]);
    }
    (void)snprintf(line + n, size - n, "*%02X\\n", (unsigned)sum);
    send_line(line);
}
"""


def streams_from(text: str) -> tuple[str, ...]:
    """Return the streams that a text names with commas or spaces; RecordingError where there is none of a name."""
    names = tuple(text.replace(",", " ").split())
    for name in names:
        if name not in USUAL and name.rstrip("23") != "imu":
            raise RecordingError(name, f"there is no such stream; choose from {', '.join(USUAL)}.")
    return names


def c_snippet(streams: tuple[str, ...], more: tuple[str, ...] = ()) -> str:
    """Return C99 with one function a stream and one that prints all headers: call that at the start and every 2 s.

    ``more``: columns that stand behind the usual ones of the board's own estimate.
    """
    streams = streams_from(",".join(streams))
    parts = [_HEAD]
    headers = []
    for name in streams:
        columns = USUAL.get(name, USUAL["imu"]) + (more if name == "board" else ())
        words = ",".join(f"{c}[{unit_of(c)}]" if unit_of(c) else c for c in columns)
        body = f"#{name},{words}"
        headers.append(f'    send_line("{_c_text(body)}*{checksum(body.encode()):02X}\\n");')
        arguments = ", ".join(f"double {c}" for c in columns)
        formats = ",".join("%.9g" if STREAMS[name][c].kind == "angle" else "%.7g" for c in columns)
        parts.append(
            f"void print_{name}(uint32_t t_us, {arguments})\n{{\n    char line[256];\n"
            f'    (void)snprintf(line, sizeof line - 4, "{name},%lu,{formats}", (unsigned long)t_us, {", ".join(columns)});\n'
            "    finish_line(line, sizeof line);\n}\n"
        )
    parts.append("void print_headers(void)\n{\n" + "\n".join(headers) + "\n}\n")
    return "\n".join(parts)


def _c_text(text: str) -> str:
    """Return text for a C string: what is not ASCII as octal bytes, which end by themselves."""
    return "".join(chr(b) if 32 <= b < 127 else f"\\{b:03o}" for b in text.encode("utf-8"))
