"""What each recording is held against: kind, points, axes, clock, and the reference's own uncertainty."""

import math

from pydantic import ValidationError
from PyQt6.QtWidgets import QFormLayout, QLabel, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from fusus.app import theme
from fusus.app.figures.rows import RowsTable
from fusus.app.session import Session
from fusus.app.stages.inputs import choice_box, fill_names, input_line, push_button
from fusus.app.stages.proof.actions import align
from fusus.errors import FususError
from fusus.project.commands import DeclareReference
from fusus.project.references import AXES, EXAMPLES, KINDS, DeclaredReference, points_text, read_points

# Quantity, label, unit, factor to SI.
SIGMAS = (
    ("tilt", "tilt", "°", math.radians(1)), ("heading", "heading", "°", math.radians(1)), ("position", "place", "m", 1.0),
    ("height", "height", "m", 1.0), ("velocity", "velocity", "m/s", 1.0),
)  # fmt: skip
TURNS, PLACES = ("jig", "turntable"), ("heights", "closure", "surveyed")
TRACKS, POINTS = ("track",), ("jig", "turntable", "heights", "closure", "surveyed")


class ReferencePage(QWidget):
    """A form for one recording, what comes of it, and below all that were declared."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown = ""
        self.recording = choice_box("reference-recording", "Recording", {})
        self.recording.setMinimumWidth(180)
        self.recording.currentIndexChanged.connect(lambda _: self._load())
        self.kind = choice_box("reference-kind", "What it is held against", {})
        for key, words in KINDS.items():
            self.kind.addItem(words, key)
        self.kind.currentIndexChanged.connect(lambda _: self._suit())
        self.points = QPlainTextEdit()
        self.points.setObjectName("reference-points")
        self.points.setAccessibleName("Points, one a line")
        self.points.setFixedHeight(theme.px(92))
        self.points.setTabChangesFocus(True)
        self.other = choice_box("reference-other", "The recording that the track lies in", {})
        self.axes = choice_box("reference-axes", "Axes it is written in", {})
        for key, words in AXES.items():
            self.axes.addItem(words, key)
        self.offset, self.ppm = self._edit("reference-offset", "0"), self._edit("reference-ppm", "0")
        self.sigmas = {name: self._edit(f"reference-sigma-{name}", "usual") for name, *_ in SIGMAS}
        self.words = QLineEdit()
        self.words.setObjectName("reference-note")
        self.words.setAccessibleName("Words to it")
        self.clock = input_line(("reads, s, at the log's zero", self.offset), ("gains, ppm", self.ppm))
        self.turns, self.ways = (
            input_line(*((f"{label}, {unit}", self.sigmas[name]) for name, label, unit, _ in part))
            for part in (SIGMAS[:2], SIGMAS[2:])
        )
        form = QFormLayout()
        self.form = form
        for label, widget in (
            ("Recording", self.recording), ("Held against", self.kind), ("Points", self.points), ("Track in", self.other),
            ("Axes", self.axes), ("Its clock", self.clock), ("One sigma", self.turns), ("One sigma ", self.ways), ("Note", self.words),
        ):  # fmt: skip
            form.addRow(label, widget)
        self.result = QLabel()
        self.result.setObjectName("reference-result")
        self.result.setWordWrap(True)
        self.declared = RowsTable(
            "references", "Declared references", ("recording", "held against", "clock>", "one sigma")
        )
        self.align = push_button(
            "reference-align", "Find its clock", "Find offset and rate of its clock from both records", self._align
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addLayout(form)
        column.addWidget(
            input_line(
                push_button("reference-remove", "As recorded", "Hold it against what it holds itself, as it is", self._remove), self.align,
                push_button("reference-declare", "Declare", "Hold the recording against this", self._declare, is_main=True),
            )
        )  # fmt: skip
        column.addWidget(self.result)
        column.addWidget(self.declared, 1)
        self._suit()

    def _edit(self, name: str, words: str) -> QLineEdit:
        edit = QLineEdit()
        edit.setObjectName(name)
        edit.setAccessibleName(name.replace("-", " "))
        edit.setPlaceholderText(words)
        edit.setFixedWidth(theme.px(70))
        edit.setProperty("role", "figure")
        return edit

    def draw(self) -> None:
        """Show recordings, and what was declared."""
        names = [r.name for r in self.session.recordings()]
        fill_names(self.recording, names, 0)
        fill_names(self.other, names, 0)
        rows = []
        for d in self.session.project.proof.references:
            clock = (
                f"{d.clock_offset_s * 1000:+.1f} ms, {d.clock_ppm:+.1f} ppm"
                if d.clock_offset_s or d.clock_ppm
                else "as it is"
            )
            rows.append((d.recording, KINDS[d.kind] + (f": {d.other}" if d.other else ""), clock, _sigma_text(d)))
        self.declared.show_rows(rows)
        if self.recording.currentText() != self._shown:
            self._load()
        self._tell()

    def _load(self) -> None:
        """Fill the form with what was declared for the recording."""
        name = self.recording.currentText()
        document = self.session.document
        if not name or document is None:
            return
        self._shown = name
        d = document.project.proof.declared(name) or DeclaredReference(recording=name)
        self.kind.setCurrentIndex(max(self.kind.findData(d.kind), 0))
        self.axes.setCurrentIndex(max(self.axes.findData(d.axes), 0))
        self.points.setPlainText(points_text(d.points).replace("; ", "\n"))
        if d.other:
            self.other.setCurrentIndex(max(self.other.findData(d.other), 0))
        self.offset.setText(f"{d.clock_offset_s:.6g}" if d.clock_offset_s else "")
        self.ppm.setText(f"{d.clock_ppm:.4g}" if d.clock_ppm else "")
        for key, _, _, factor in SIGMAS:
            self.sigmas[key].setText(f"{d.sigmas[key] / factor:.4g}" if key in d.sigmas else "")
        self.words.setText(d.note)
        self._suit()
        self.session.answers.ask("proof.reference", name)

    def _suit(self) -> None:
        """Show what the kind needs."""
        kind = str(self.kind.currentData())
        self.form.setRowVisible(self.points, kind in POINTS)
        self.form.setRowVisible(self.other, kind in TRACKS)
        self.form.setRowVisible(self.axes, kind not in POINTS)
        self.form.setRowVisible(self.clock, kind not in POINTS)
        self.form.setRowVisible(self.turns, kind not in PLACES)
        self.form.setRowVisible(self.ways, kind not in TURNS)
        self.align.setEnabled(kind not in POINTS)
        example = EXAMPLES.get(kind, "").replace("; ", "\n")
        self.points.setPlaceholderText(
            f"One a line, times in s from the first sample, or none to find them by stillness:\n{example}"
        )

    def _made(self) -> DeclaredReference | None:
        """Return what the form says, or tell what is wrong with it."""
        kind = str(self.kind.currentData())
        try:
            sigmas = {
                key: _number(f"Sigma of {label}", self.sigmas[key].text()) * factor
                for key, label, _, factor in SIGMAS
                if self.sigmas[key].text().strip()
            }
            return DeclaredReference.model_validate(
                {
                    "recording": self.recording.currentText(), "kind": kind,
                    "points": read_points(self.points.toPlainText(), kind) if kind in POINTS else (),
                    "other": self.other.currentText() if kind in TRACKS else None, "axes": self.axes.currentData(),
                    "clock_offset_s": _number("Offset", self.offset.text() or "0"), "clock_ppm": _number("Rate", self.ppm.text() or "0"),
                    "sigmas": sigmas, "note": self.words.text().strip(),
                }
            )  # fmt: skip
        except ValidationError as error:
            self.session.noticed.emit("stop", f"{error.errors()[0]['loc'][0]}: {error.errors()[0]['msg']}.")
        except (FususError, ValueError) as error:
            self.session.noticed.emit("stop", str(error))
        return None

    def _declare(self) -> None:
        made = self._made()
        if made is not None:
            self._do(DeclareReference(made.recording, made))

    def _remove(self) -> None:
        self._do(DeclareReference(self.recording.currentText(), None, "Take the reference as recorded"))

    def _do(self, command: DeclareReference) -> None:
        wrong = self.session.do(command)
        if wrong is not None:
            self.session.noticed.emit("stop", wrong)
            return
        self._shown = ""
        self.draw()

    def _align(self) -> None:
        made = self._made()
        if made is not None:
            align(self.session, made, self.reload)

    def reload(self) -> None:
        """Fill the form anew: the declaration changed elsewhere."""
        self._shown = ""
        self.draw()

    def _tell(self) -> None:
        r = self.session.answers.result("proof.reference")
        if r is None or r["recording"] != self.recording.currentText():
            self.result.setText("")
            return
        if r["reference"] is None:
            self.result.setText(
                f"“{r['recording']}” holds no reference: declare one, and its requirements can be evaluated."
            )
            return
        start, end = r["covers_s"]
        stretches = f", {r['stretches']} stretches" if r["stretches"] else ""
        self.result.setText(
            f"Now held against: {r['reference']}. It tells {', '.join(r['tells'])} from {start:.1f} to {end:.1f} s{stretches}. "
            "Its sigma enters every verdict's interval."
        )


def _number(where: str, text: str) -> float:
    try:
        return float(text.strip().replace(",", "."))
    except ValueError:
        raise ValueError(f"{where}: “{text}” is no number.") from None


def _sigma_text(d: DeclaredReference) -> str:
    found = d.all_sigmas()
    out = [f"{label} {found[key] / factor:.3g} {unit}" for key, label, unit, factor in SIGMAS if key in found]
    return ", ".join(out) or ("as the receiver says" if d.kind == "track" else "exact")
