"""A part: its figures in SI, its words, and how much of it can be believed."""

from dataclasses import dataclass, field, replace

from fusus.core.frames.units import from_si, parse
from fusus.core.parts.fields import FIELDS, KIND_TITLES, WORDS, Field, PartKind, fields_of
from fusus.errors import PartError


@dataclass(frozen=True, slots=True)
class Part:
    """What the datasheet of one part says. ``figures`` are SI by field name, ``words`` by their names."""

    kind: PartKind
    name: str
    figures: dict[str, float] = field(default_factory=dict)
    words: dict[str, str] = field(default_factory=dict)

    @property
    def title(self) -> str:
        """The name with what it is."""
        return f"{KIND_TITLES[self.kind]} {self.name}"

    @property
    def has_magnetometer(self) -> bool:
        """Whether it brings a magnetometer: one itself, or a nine-axis board."""
        return "mag_noise" in self.figures

    def word(self, name: str) -> str:
        """Return a word, "" where the datasheet is silent."""
        return self.words.get(name, "")

    def with_figure(self, name: str, value: float | None) -> "Part":
        """Return the part with one figure set, or taken off."""
        figures = {k: v for k, v in self.figures.items() if k != name}
        return replace(self, figures=figures if value is None else figures | {name: value})


@dataclass(frozen=True, slots=True)
class PartProblem:
    """What is wrong with one field, and what is done about it. ``severity``: stop, mind or fine."""

    field: str
    severity: str
    message: str
    action: str


@dataclass(frozen=True, slots=True)
class Completed:
    """A part with every figure that a model needs; ``assumed`` names those that are not its datasheet's."""

    part: Part
    problems: tuple[PartProblem, ...]
    assumed: frozenset[str]

    def value(self, name: str) -> float:
        """Return a figure; KeyError for one that this part does without."""
        return self.part.figures[name]

    def get(self, name: str, otherwise: float) -> float:
        """Return a figure, or another where this part does without."""
        return self.part.figures.get(name, otherwise)


def read_figure(part: Part, f: Field, text: str) -> float:
    """Return the SI value of a field's text, such as "4 mg", "12 LSB" (of the part's narrowest range) or "2.5 m CEP50"."""
    words = text.strip()
    if words.upper().endswith("LSB"):
        step = _lsb(part, f)
        return parse(words[:-3], "share", "1")[0] * step
    return parse(words, f.quantity, f.unit)[0]


def _lsb(part: Part, f: Field) -> float:
    axis = f.name.partition("_")[0]
    full = part.figures.get(f"{axis}_range_low", part.figures.get(f"{axis}_range"))
    bits = part.figures.get(f"{axis}_bits")
    if full is None or bits is None or f.quantity not in ("rate", "acceleration", "field"):
        raise PartError(part.name, f.title, "a figure in LSB needs the range and the bits of its sensor first")
    return full / 2 ** (bits - 1)


def shown(f: Field, value: float) -> tuple[float, str]:
    """Return a figure in the unit that datasheets usually print."""
    return from_si(value, f.unit, f.quantity), f.unit


def complete(part: Part) -> Completed:
    """Return the part fit for a model: absurd figures and gaps replaced by marked assumptions, each with its reason."""
    known = fields_of(part.kind)
    figures: dict[str, float] = {}
    assumed: set[str] = set()
    problems: list[PartProblem] = []
    for f in FIELDS[part.kind]:
        value = part.figures.get(f.name)
        wrong = None if value is None else _wrong(f, value)
        if wrong is not None:
            problems.append(PartProblem(f.name, "stop", wrong, _action(f)))
        if value is None and f.assumed is not None:
            problems.append(PartProblem(f.name, "mind", f"{f.title} is not given", _action(f)))
        if value is not None and wrong is None:
            figures[f.name] = value
        elif f.assumed is not None:
            figures[f.name] = f.assumed
            assumed.add(f.name)
    if part.kind == "imu" and "mag_noise" in figures:
        for f in fields_of("magnetometer").values():
            if f.name.startswith("mag_") and f.name not in figures and f.assumed is not None:
                figures[f.name] = f.assumed
                assumed.add(f.name)
                problems.append(PartProblem(f.name, "mind", f"{f.title} is not given", _action(f)))
    problems += _contradictions(figures, known)
    problems += _words(part)
    return Completed(replace(part, figures=figures), tuple(problems), frozenset(assumed))


def _wrong(f: Field, value: float) -> str | None:
    number, unit = shown(f, value)
    low, high = shown(f, f.low)[0], shown(f, f.high)[0]
    if value != value:
        return f"{f.title} is no number"
    if value < 0 and f.low >= 0:
        return f"{f.title} is negative ({number:.4g} {unit})"
    if not f.low * (1 - 1e-9) - 1e-12 <= value <= f.high * (1 + 1e-9):
        return f"{f.title} is absurd: {number:.4g} {unit}, where {low:.3g} to {high:.3g} is possible"
    return None


def _action(f: Field) -> str:
    if f.assumed is None:
        return "left out"
    number, unit = shown(f, f.assumed)
    return f"{number:.3g} {unit} assumed"


# Pairs that contradict each other when the first exceeds the second.
_ORDERED = (
    ("supply_low", "supply_high"),
    ("temperature_low", "temperature_high"),
    ("range_low", "range_high"),
    ("gyro_range_low", "gyro_range"),
    ("acc_range_low", "acc_range"),
    ("gyro_instability", "gyro_offset"),
    ("acc_instability", "acc_offset"),
)


def _contradictions(figures: dict[str, float], known: dict[str, Field]) -> list[PartProblem]:
    out = []
    for low, high in _ORDERED:
        if low in figures and high in figures and figures[low] > figures[high] * (1 + 1e-9):
            a, b = known[low], known[high]
            out.append(
                PartProblem(
                    low, "stop", f"{a.title} ({_told(a, figures[low])}) exceeds {b.title.lower()} ({_told(b, figures[high])})",
                    "both are used as they stand; one of them is wrong",
                )
            )  # fmt: skip
    for axis in ("gyro", "acc"):
        rate, band = figures.get(f"{axis}_rate"), figures.get(f"{axis}_bandwidth")
        if rate is not None and band is not None and band > rate:
            f = known[f"{axis}_bandwidth"]
            out.append(
                PartProblem(
                    f.name, "stop", f"{f.title} ({_told(f, band)}) exceeds the rate ({rate:.0f} Hz)",
                    "half the rate is the most that samples can show",
                )
            )  # fmt: skip
    for name in figures:
        if name.endswith("bits") and figures[name] != round(figures[name]):
            out.append(
                PartProblem(name, "stop", f"{known[name].title} is no whole number ({figures[name]:g})", "rounded")
            )
    return out


def _told(f: Field, value: float) -> str:
    number, unit = shown(f, value)
    return f"{number:.4g} {unit}"


def _words(part: Part) -> list[PartProblem]:
    out = []
    for name, choices in WORDS.items():
        word = part.words.get(name)
        if word and choices is not None and word not in choices:
            out.append(PartProblem(name, "stop", f"{name} “{word}” is none of {', '.join(choices)}", "left out"))
    if part.word("bus") == "I2C":
        for text in filter(None, (a.strip() for a in part.word("address").split(","))):
            if _address(text) is None:
                out.append(PartProblem("address", "stop", f"address “{text}” is no 7-bit I2C address", "left out"))
    return out


def _address(text: str) -> int | None:
    try:
        value = int(text, 0)
    except ValueError:
        return None
    return value if 0x03 <= value <= 0x77 else None


def addresses(part: Part) -> tuple[int, ...]:
    """Return the I2C addresses a part can take: "0x76" or "0x76, 0x77"."""
    if part.word("bus") != "I2C":
        return ()
    found = [_address(a.strip()) for a in part.word("address").split(",") if a.strip()]
    return tuple(a for a in found if a is not None)
