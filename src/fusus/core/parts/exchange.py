"""Parts as plain data, for JSON: figures as text with a datasheet's unit, so that people can read and write them."""

from typing import Any, cast

from fusus.core.parts.fields import KIND_TITLES, WORDS, PartKind, fields_of
from fusus.core.parts.part import Part, read_figure, shown
from fusus.errors import PartError, UnitError

FORMAT = 1


def part_to_data(part: Part) -> dict[str, Any]:
    """Return a part as JSON data; figures as "4 mg"."""
    known = fields_of(part.kind)
    figures = {}
    for name, value in part.figures.items():
        number, unit = shown(known[name], value)
        figures[name] = f"{number:.9g} {unit}"
    return {"kind": part.kind, "name": part.name, "words": dict(part.words), "figures": figures}


def part_from_data(data: Any, where: str) -> Part:
    """Return the part that JSON data describe; ``where`` names it in errors. A bare number is in the usual unit."""
    if not isinstance(data, dict):
        raise PartError(where, None, "a part is an object with kind, name, words and figures")
    name, kind = data.get("name"), data.get("kind")
    if not isinstance(name, str) or not name.strip():
        raise PartError(where, "name", "it is missing")
    if kind not in KIND_TITLES:
        raise PartError(name, "kind", f"“{kind}” is none of {', '.join(KIND_TITLES)}")
    unknown = set(data) - {"kind", "name", "words", "figures"}
    if unknown:
        raise PartError(name, sorted(unknown)[0], "no such entry; a part has kind, name, words and figures")
    kind = cast(PartKind, kind)
    words = data.get("words", {})
    if not isinstance(words, dict) or not all(isinstance(v, str) for v in words.values()):
        raise PartError(name, "words", "words are texts by name")
    for word in words:
        if word not in WORDS:
            raise PartError(name, word, f"no such word; known are {', '.join(WORDS)}")
    part = Part(kind, name.strip(), {}, {k: v for k, v in words.items() if v})
    figures = data.get("figures", {})
    if not isinstance(figures, dict):
        raise PartError(name, "figures", "figures are numbers or texts by field name")
    known = fields_of(kind)
    # Ranges and bits first: what is given in LSB needs them.
    for key in sorted(figures, key=lambda k: not ("range" in k or "bits" in k)):
        if key not in known:
            raise PartError(name, key, f"a {KIND_TITLES[kind]} has no such field")
        value = figures[key]
        if value is None:
            continue
        if isinstance(value, bool) or not isinstance(value, (int, float, str)):
            raise PartError(name, key, f"“{value}” is no figure")
        try:
            part = part.with_figure(key, read_figure(part, known[key], str(value)))
        except UnitError as error:
            raise PartError(name, key, str(error).rstrip(".")) from error
    order = {k: i for i, k in enumerate(known)}
    return Part(kind, part.name, dict(sorted(part.figures.items(), key=lambda kv: order[kv[0]])), part.words)


def parts_from_data(data: Any, where: str) -> tuple[Part, ...]:
    """Return the parts of a whole file's data."""
    if not isinstance(data, dict) or not isinstance(data.get("parts"), list):
        raise PartError(where, None, 'a file of parts is {"format": 1, "parts": [...]}')
    found = data.get("format", FORMAT)
    if found != FORMAT:
        raise PartError(where, "format", f"it is {found}; this Fusus reads {FORMAT}")
    parts = tuple(part_from_data(d, f"part {i + 1} of {where}") for i, d in enumerate(data["parts"]))
    seen: set[tuple[str, str]] = set()
    for part in parts:
        if (part.kind, part.name) in seen:
            raise PartError(part.name, "name", "it stands twice in the file")
        seen.add((part.kind, part.name))
    return parts


def parts_to_data(parts: tuple[Part, ...]) -> dict[str, Any]:
    """Return parts as JSON data."""
    return {"format": FORMAT, "parts": [part_to_data(p) for p in parts]}
