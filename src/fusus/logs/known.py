"""Mappings that were corrected once, offered for the next file of the same header."""

from pathlib import Path

from fusus.logs.info import list_recordings, load_info
from fusus.logs.mapping import Mapping
from fusus.logs.plan import Plan


def mapping_of(project: Path, recording: str) -> Mapping:
    """Return the mapping that a recording was imported with, for reading another file in the same way."""
    info = load_info(project, recording)
    return info.mapping or Mapping()


def known_mappings(project: Path, plan: Plan) -> tuple[str, ...]:
    """Return the recordings whose corrected mapping fits all tables of a plan by their headers, the latest name last."""
    headers = {t.dialect.header for t in plan.tables}
    found = []
    for info in list_recordings(project, set_aside=True):
        if info.mapping is None or not is_corrected(info.mapping):
            continue
        if headers and headers <= {f.header for f in info.mapping.files}:
            found.append(info.name)
    return tuple(found)


def is_corrected(mapping: Mapping) -> bool:
    """Return whether something in a mapping was said by hand, rather than found."""
    by_hand = any(c.unit_from == "mapping" for f in mapping.files for c in f.columns)
    return by_hand or bool(mapping.units or mapping.ranges) or any(f.time.unit == "counter" for f in mapping.files)
