"""Files of parts: the catalogue that ships (invented), and JSON in and out."""

import json
from functools import lru_cache
from pathlib import Path

from fusus.core.parts.exchange import parts_from_data, parts_to_data
from fusus.core.parts.part import Part
from fusus.errors import PartError
from fusus.project.atomic import write_atomically
from fusus.project.json_text import parsed


@lru_cache(maxsize=1)
def catalogue() -> tuple[Part, ...]:
    """Return the parts that ship with Fusus. All of them are invented."""
    return read_parts(Path(__file__).with_name("catalogue.json"))


def read_parts(path: Path) -> tuple[Part, ...]:
    """Return the parts of a JSON file; PartError says what is wrong and in which part."""
    try:
        data = parsed(path.read_text(encoding="utf-8-sig"))
    except OSError as error:
        raise PartError(path.name, None, f"the file cannot be read ({error.strerror})") from error
    except UnicodeDecodeError as error:
        raise PartError(path.name, None, f"byte {error.start} is no UTF-8 text") from error
    except json.JSONDecodeError as error:
        raise PartError(
            path.name, f"line {error.lineno}, column {error.colno}", f"this is no JSON ({error.msg})"
        ) from error
    return parts_from_data(data, path.name)


def write_parts(path: Path, parts: tuple[Part, ...]) -> None:
    """Write parts as JSON, with their units."""
    text = json.dumps(parts_to_data(parts), ensure_ascii=False, indent=1)
    write_atomically(path, text.encode() + b"\n")
