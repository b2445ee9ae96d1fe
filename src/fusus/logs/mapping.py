"""How a table becomes streams: found by detection, shown for correction, saved and used again."""

import json
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from fusus.errors import MappingError
from fusus.project.evidence import Record
from fusus.project.json_text import parsed

MAPPING_FORMAT = 1
TextForm = Literal["ymd", "dmy", "mdy", "named", "compact", "clock", "minutes", "hours", "seconds"]
TimeUnit = Literal["s", "ms", "us", "ns", "min", "h", "days", "hhmmss", "iso8601", "counter"]


class RawCounts(Record):
    """Counts of a converter: range ± ``full_scale`` in the column's unit, word of ``bits`` bits."""

    full_scale: Annotated[float, Field(gt=0)]
    bits: Annotated[int, Field(ge=4, le=32)] = 16


class ColumnMapping(Record):
    """One column of the table: name and position in the source, and where it goes; ``target`` None leaves it out.

    value in SI = (source value, or counts scaled by ``raw``) * ``factor`` in ``unit``, turned into the canonical unit.
    A hand-written mapping may leave the position out: the name finds it.
    """

    source: str
    index: Annotated[int, Field(ge=-1)] = -1
    target: str | None = None
    unit: str | None = None
    factor: float = 1.0
    raw: RawCounts | None = None
    unit_from: Literal["header", "values", "motion", "mapping", "assumed", "unknown", "open"] = "mapping"


class SensorRange(Record):
    """Range ± ``full_scale`` and word of a whole sensor that is logged in counts."""

    full_scale: Annotated[float, Field(gt=0)]
    unit: str
    bits: Annotated[int, Field(ge=4, le=32)] = 16


class TimeMapping(Record):
    """Which column is the time. A ``counter`` counts samples at ``rate_hz``; no column at all counts rows.

    ``date_index`` and ``seconds_index``: the columns of the date, or of whole seconds, to which this time is added. ``form``: how a time
    of unit "iso8601", which is text, is written. ``fraction_digits``: what stands behind its point is a whole number of
    so many digits, written without leading zeros. ``is_step``: the column holds the time since the row before."""

    index: int | None = None
    unit: TimeUnit = "s"
    rate_hz: float | None = None
    wrap_bits: int | None = None
    date_index: int | None = None
    seconds_index: int | None = None
    form: TextForm | None = None
    fraction_digits: int | None = None
    is_step: bool = False


class FileMapping(Record):
    """One table: how its text is cut, its time, its columns. ``shape`` and ``kind`` tell which lines of the text are its rows."""

    file: str = ""
    header: tuple[str, ...] = ()
    encoding: str = "utf-8"
    delimiter: str = ","
    decimal: Literal[".", ","] = "."
    first_data_line: int = 1
    shape: str = "table"
    kind: str = ""
    quoted: bool = False  # as older recordings say it; quotes are found where they stand
    time: TimeMapping = TimeMapping()
    columns: tuple[ColumnMapping, ...] = ()
    held: tuple[str, ...] = ()


class ReferenceConvention(Record):
    """How the source's attitude is to be read."""

    earth: Literal["ned", "nwu", "enu"] = "ned"
    body: Literal["frd", "flu", "rfu"] = "frd"
    conjugate: bool = False
    found_by: str = ""


class Mapping(Record):
    """All tables of a recording and the axes they are in.

    What a hand-written mapping leaves out is found by detection: ``{"units": {"gyro": "rad/s"}}`` and ``{"ranges":
    {"gyro": {"full_scale": 500, "unit": "deg/s"}}}`` are whole mappings.
    """

    format: Literal[1] = 1
    units: dict[Literal["gyro", "acc", "mag", "pressure", "angles", "height"], str] = Field(default_factory=dict)
    ranges: dict[Literal["gyro", "acc", "mag"], SensorRange] = Field(default_factory=dict)
    files: tuple[FileMapping, ...] = ()
    body_axes: Literal["frd", "flu", "rfu"] = "frd"
    acc_sign: Literal[1, -1] = 1
    reference: ReferenceConvention | None = None

    def for_table(self, file: str, header: tuple[str, ...]) -> FileMapping | None:
        """Return the entry of a table: by its header, else by its file's name, else the one that names neither."""
        for fits in (
            lambda f: f.header and f.header == header,
            lambda f: f.file == file,
            lambda f: not (f.file or f.header),
        ):
            found = next((f for f in self.files if fits(f)), None)
            if found is not None:
                return found
        return None


def load_mapping(path: Path) -> Mapping:
    """Read a saved mapping; MappingError says what is wrong with it."""
    try:
        return Mapping.model_validate(parsed(path.read_text(encoding="utf-8")))
    except OSError as error:
        raise MappingError(f"{path.name}: the mapping cannot be read ({error.strerror}).") from error
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise MappingError(f"{path.name}: the mapping is no JSON text ({error}).") from error
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"])
        raise MappingError(
            f"{path.name}: field “{place}”: {first['msg']}. Correct the mapping and try again."
        ) from error
