"""How lines of the board's protocol are spelled: ``stream,t_us,v1,v2,...*hh`` and their headers."""

from functools import reduce
from operator import xor

_SHORT = {"rad_s": "rad/s", "m_s2": "m/s²", "ut": "µT", "pa": "Pa", "degc": "°C", "m_s": "m/s", "m": "m", "v": "V", "a": "A", "rad": "rad",
          "deg": "deg", "s": "s"}  # fmt: skip


def checksum(body: bytes) -> int:
    """Return the exclusive or of all bytes."""
    return reduce(xor, body, 0)


def is_whole(line: bytes) -> bool:
    """Whether a line ends in the checksum of what stands before."""
    body, star, told = line.strip().rpartition(b"*")
    return bool(body and star) and told.upper() == b"%02X" % checksum(body)


def encode(stream: str, t_us: int, values: list[str]) -> bytes:
    """Return one line of samples with its checksum and newline."""
    body = f"{stream},{t_us},{','.join(values)}".encode("ascii")
    return body + b"*%02X\n" % checksum(body)


# A header without columns: what comes is the stand-in's, to practise on.
PRACTICE = "practice"


def encode_header(stream: str, columns: list[str]) -> bytes:
    """Return the header line of a stream; columns are canonical names, whose units are written out."""
    words = ",".join(f"{c}[{unit_of(c)}]" if unit_of(c) else c for c in columns)
    body = f"#{stream},{words}".encode() if words else f"#{stream}".encode()
    return body + b"*%02X\n" % checksum(body)


def unit_of(column: str) -> str:
    """Return the unit that a canonical column's name ends in, "" for plain numbers."""
    ending = max((s for s in _SHORT if column.endswith(f"_{s}")), key=len, default="")
    return _SHORT.get(ending, "")
