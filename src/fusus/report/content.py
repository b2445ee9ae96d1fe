"""What a report is made of, whatever it is printed on."""

from dataclasses import dataclass
from typing import Literal

Severity = Literal["stop", "mind", "fine", ""]
# Words with what they weigh; most cells weigh nothing.
Cell = tuple[str, Severity] | str


@dataclass(frozen=True, slots=True)
class Words:
    """A paragraph."""

    text: str
    is_caution: bool = False


@dataclass(frozen=True, slots=True)
class Rows:
    """A table: titles (those that end in > stand over figures), rows of cells, and how wide columns are beside one another."""

    titles: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
    widths: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class Picture:
    """A figure: caption, the drawing as SVG text, and as PNG bytes."""

    caption: str
    svg: str
    png: bytes


@dataclass(frozen=True, slots=True)
class Section:
    """A heading with what stands under it."""

    title: str
    blocks: tuple[Words | Rows | Picture, ...]

    @property
    def anchor(self) -> str:
        """Its name in links."""
        return "".join(c if c.isalnum() else "-" for c in self.title.lower())


@dataclass(frozen=True, slots=True)
class Report:
    """Title, what the craft is for, when and by what it was made, and sections."""

    title: str
    about: str
    made: str
    sections: tuple[Section, ...]


def words_of(cell: Cell) -> str:
    """Return a cell's words."""
    return cell if isinstance(cell, str) else cell[0]


def weight_of(cell: Cell) -> Severity:
    """Return what a cell weighs."""
    return "" if isinstance(cell, str) else cell[1]
