"""What all shapes share: a line becomes a line of a comma-separated table, so that line numbers stay those of the source."""

from dataclasses import dataclass, field

PLACES = 3
PIECE_BYTES = 1 << 20


@dataclass(slots=True)
class Strays:
    """Lines that fit no shape: how many, the first places, and the first of them."""

    count: int = 0
    lines: list[int] = field(default_factory=list)
    first: str = ""

    def add(self, line: int, text: str) -> None:
        """Count a line."""
        self.count += 1
        if len(self.lines) < PLACES:
            self.lines.append(line)
            self.first = self.first or text[:60]


class Reshaper:
    """Rewrites blocks of whole lines. ``columns`` are the names of the table's columns; it keeps its state between blocks."""

    def __init__(self, columns: tuple[str, ...]) -> None:
        self.columns = columns
        self.strays = Strays()
        self.line = 0

    def block(self, block: bytes) -> bytes:
        """Return a block with each line rewritten, its fields empty where it holds nothing of this table."""
        out = []
        at = 0
        while at < len(block):
            # A piece at a time: a million lines as texts of their own would take many times their bytes.
            end = block.rfind(b"\n", at, at + PIECE_BYTES) + 1
            if end <= at:
                end = block.find(b"\n", at) + 1 or len(block)
            out.append(self._piece(block[at:end]))
            at = end
        return b"".join(out)

    def _piece(self, piece: bytes) -> bytes:
        text = piece.decode("utf-8", "replace")
        ends_open = not text.endswith("\n")
        lines = text.split("\n")
        if not ends_open:
            lines.pop()
        # A line that holds nothing of the table has all its fields, empty: the parser counts fields in the first one.
        blank = "," * (len(self.columns) - 1)
        out = []
        for line in lines:
            self.line += 1
            stripped = line.strip(" \t\r\x00")
            out.append((self.rewritten(stripped) if stripped else "") or blank)
        return ("\n".join(out) + ("" if ends_open else "\n")).encode()

    def end(self) -> bytes:
        """Return the line that the end of the text finishes, empty for none."""
        return b""

    def at(self, number: int, line: str) -> str:
        """Return the line of a number rewritten."""
        self.line = number
        return self.rewritten(line)

    def rewritten(self, line: str) -> str:
        """Return one line as fields of the table, blank where it holds nothing of it."""
        raise NotImplementedError

    def stray(self, line: str) -> str:
        """Count a line that is not of this shape; return what stands for it."""
        self.strays.add(self.line, line)
        return ""
