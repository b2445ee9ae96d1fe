"""The book: events written by hand, searched, saved and imported."""

import textwrap
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from fusus.app import theme
from fusus.app.figures.rows import RowsTable
from fusus.app.session import Session
from fusus.app.stages.bench.actions import write_event
from fusus.app.stages.inputs import choice_box, push_button
from fusus.core.frames.units import from_si, parse
from fusus.errors import FususError
from fusus.project import book, book_tables

MOST_SHOWN, MOST_WORDS = 400, 220
VIEWS = (
    ("all", "all"), ("flights", "flight"), ("calibrations", "calibration"), ("test cards", "test card"), ("IMU", "imu"),
    ("magnetometer", "magnetometer"), ("barometer", "barometer"), ("receiver", "receiver"),
)  # fmt: skip
FILES = "Lines (*.jsonl);;Table (*.csv)"
# What a flight has beside an event: name, placeholder, width.
FLIGHT = (
    ("minutes", "min", 52),
    ("charge_mah", "mAh", 60),
    ("stop_voltage_v", "stop V", 60),
    ("weather", "weather", 100),
)
FIGURES = {
    "temperature_degc": ("temperature", "°C"), "minutes": ("time", "min"), "charge_mah": ("charge", "mAh"),
    "stop_voltage_v": ("voltage", "V"),
}  # fmt: skip


# Units stand behind their figures, not in their names.
UNITS = {"_degc": " °C", "_mah": " mAh", "_v": " V"}


def _words(entry: dict[str, Any]) -> str:
    """Return what an entry says beside its time and kind."""
    out = [str(entry[k]).rstrip(".") for k in ("note", "reason") if entry.get(k)]
    for key, value in entry.items():
        if (
            key in ("at", "what", "note", "reason", "sources", "pictures")
            or isinstance(value, dict)
            or value in (None, "")
        ):
            continue
        ending = next((u for u in UNITS if key.endswith(u)), "")
        out.append(f"{key.removesuffix(ending).replace('_', ' ')} {value}{UNITS.get(ending, '')}")
    return ", ".join(out)


class BookPage(QWidget):
    """What is written above, what is sought, and the entries below, newest first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.kind_of_event = QComboBox()
        self.kind_of_event.setObjectName("book-event")
        self.kind_of_event.setAccessibleName("Event")
        for name in book.EVENTS:
            self.kind_of_event.addItem(name)
        self.kind_of_event.currentTextChanged.connect(lambda _: self._suit())
        self.words = self._edit("book-words", "what happened")
        self.words.returnPressed.connect(self._write)
        self.details = {
            "place": self._edit("book-place", "where", 90),
            "temperature_degc": self._edit("book-warm", "°C", 50),
            **{name: self._edit(f"book-{name}", words, width) for name, words, width in FLIGHT},
            "firmware": self._edit("book-firmware", "version", 90),
            "part": self._edit("book-part", "part", 80),
        }
        self.attached: list[Path] = []
        self.attach = push_button("book-attach", "Picture …", "A picture that belongs to it", self._attach)
        write = push_button("book-write", "Write", "Write it into the book", self._write)
        self.seek = self._edit("book-find", "find: words, a day, a part")
        self.seek.textChanged.connect(lambda _: self.draw())
        self.view = choice_box("book-view", "What to show", {})
        for words, key in VIEWS:
            self.view.addItem(words, key)
        self.view.activated.connect(lambda _: self.draw())
        self.flown = QLabel()
        self.flown.setObjectName("book-flights")
        self.entries = RowsTable("book", "Book", ("when", "what", ""))
        self.entries.itemSelectionChanged.connect(self._show_picture)
        self.picture = QLabel()
        self.picture.setObjectName("book-picture")
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.hide()
        self._rows: list[dict[str, Any]] = []
        self._wanted = ""  # the picture that the chosen entry has
        session.answers.ready.connect(self._on_ready)
        first, details, second = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        first.addWidget(self.kind_of_event)
        first.addWidget(self.words, 1)
        first.addWidget(write)
        for edit in self.details.values():
            details.addWidget(edit)
        details.addWidget(self.attach)
        details.addStretch()
        second.addWidget(self.view)
        second.addWidget(self.seek, 1)
        second.addWidget(push_button("book-save", "Save …", "Save what is shown, as lines or as a table", self._save))
        second.addWidget(
            push_button(
                "book-take", "Import entries …", "Add the entries of a file that the book does not hold", self._take
            )
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addLayout(first)
        column.addLayout(details)
        column.addLayout(second)
        column.addWidget(self.flown)
        column.addWidget(self.entries, 1)
        column.addWidget(self.picture)
        self._suit()

    def _edit(self, name: str, words: str, width: int = 0) -> QLineEdit:
        edit = QLineEdit()
        edit.setObjectName(name)
        edit.setAccessibleName(words)
        edit.setPlaceholderText(words)
        if width:
            edit.setFixedWidth(theme.px(width))
        return edit

    def _suit(self) -> None:
        """Show what a flight has only for flights."""
        event = self.kind_of_event.currentText()
        for name, *_ in FLIGHT:
            self.details[name].setVisible(event == "flight")
        self.details["firmware"].setVisible(event == "new firmware")
        self.details["part"].setVisible(event != "flight")

    def _shown(self) -> list[dict[str, Any]]:
        document = self.session.document
        if document is None:
            return []
        found = book_tables.select(book.entries(document.folder), self.seek.text())
        view = str(self.view.currentData())
        if view in book_tables.OF_PART:
            return book_tables.of_part(found, view, getattr(document.project.parts, view))
        return found if view == "all" else [e for e in found if e.get("what") == view]

    def draw(self) -> None:
        """Show the entries that are sought, and what the flights among them come to."""
        try:
            found = self._shown()
        except FususError as error:
            self.session.noticed.emit("stop", str(error))
            return
        torn = book.damaged(self.session.document.folder) if self.session.document is not None else []
        if torn:
            lines = ", ".join(str(n) for n in torn)
            self.session.noticed.emit(
                "mind", f"Line {lines} of book.jsonl cannot be read and stays as it is; mend or remove it by hand."
            )
        rows = []
        self._rows = found[::-1][:MOST_SHOWN]
        for e in self._rows:
            rest = _words(e)
            count = len(e["pictures"]) if isinstance(e.get("pictures"), list) else 0
            rest += f"{', ' if rest else ''}{count} picture{'s' if count > 1 else ''}" if count else ""
            short = textwrap.shorten(rest, MOST_WORDS, placeholder=" …")
            rows.append([str(e.get("at", ""))[:16].replace("T", " "), str(e.get("what", "")), short])
        self.entries.show_rows(rows)
        f = book_tables.flights(found)
        usual = "" if f.usual_min is None else f", usually {f.usual_min:.1f} min"
        amps = "" if f.mean_a is None else f", {f.mean_a:.1f} A on average"
        self.flown.setVisible(f.count > 0)
        self.flown.setText(
            f"{f.count} flight{'' if f.count == 1 else 's'}, {f.minutes:.0f} min in all{usual}{amps}" if f.count else ""
        )

    def _write(self) -> None:
        document = self.session.document
        if document is None:
            return
        details: dict[str, Any] = {}
        for name, edit in self.details.items():
            text = edit.text().strip()
            if not text or not edit.isVisibleTo(self):
                continue
            if name not in FIGURES:
                details[name] = text
                continue
            quantity, unit = FIGURES[name]
            try:
                details[name] = from_si(parse(text, quantity, unit)[0], unit, quantity)
            except FususError as error:
                self.session.noticed.emit("stop", str(error))
                return
        write_event(
            self.session, self.kind_of_event.currentText(), self.words.text().strip(), details, tuple(self.attached),
            lambda _: self._written(),
        )  # fmt: skip

    def _written(self) -> None:
        for edit in (self.words, *self.details.values()):
            edit.clear()
        self.attached = []
        self._tell_attached()
        self.draw()
        self.session.ask("bench.due")

    def _on_ready(self, question: str) -> None:
        if question == "bench.picture" and self.session.answers.result(question) is not None:
            place, image = self.session.answers.result("bench.picture")
            if place == self._wanted:
                self.picture.setVisible(not image.isNull())
                self.picture.setPixmap(QPixmap.fromImage(image))

    def _attach(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self, "Attach pictures", "", "Pictures (*.png *.jpg *.jpeg *.webp *.gif)"
        )
        self.attached += [Path(n) for n in names]
        self._tell_attached()

    def _tell_attached(self) -> None:
        count = len(self.attached)
        self.attach.setText(f"{count} picture{'s' if count > 1 else ''}" if count else "Picture …")
        self.attach.setToolTip(", ".join(p.name for p in self.attached) or "A picture that belongs to it")

    def _show_picture(self) -> None:
        """Show the first picture of the chosen entry below."""
        row = self.entries.currentRow()
        names = self._rows[row].get("pictures") if 0 <= row < len(self._rows) else None
        self._wanted = str(names[0]) if isinstance(names, list) and names else ""
        self.picture.hide()
        if self._wanted:
            self.session.answers.ask("bench.picture", self._wanted, theme.px(560), theme.px(190))

    def _save(self) -> None:
        path, kind = QFileDialog.getSaveFileName(self, "Save the book", "book.jsonl", FILES)
        if path:
            ending = ".csv" if kind.startswith("Table") else ".jsonl"
            out = Path(path) if Path(path).suffix else Path(path + ending)
            try:
                book_tables.save(self._shown(), out)
            except FususError as error:
                self.session.noticed.emit("stop", str(error))
                return
            self.session.noticed.emit("fine", f"Saved {out.name}.")

    def _take(self) -> None:
        document = self.session.document
        path, _ = QFileDialog.getOpenFileName(self, "Take entries in", "", "Lines or table (*.jsonl *.csv)")
        if document is None or not path:
            return
        try:
            added, left = book_tables.take_in(document.folder, Path(path))
        except FususError as error:
            self.session.noticed.emit("stop", str(error))
            return
        self.session.noticed.emit("fine", f"Imported: {added} entries; {left} were there already.")
        self.draw()
