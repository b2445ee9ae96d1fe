"""The evidence mark: a letter in an outlined square, never colour alone."""

from datetime import date

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QMenu, QToolButton, QWidget

from fusus.app import theme
from fusus.project.evidence import ASSUMED, RANK, Evidence, Source

WORDS: dict[Source, str] = {
    "assumed": "Assumed: nobody measured it",
    "datasheet": "Datasheet: the maker of the part says so",
    "bench": "Bench: measured on the bench",
    "flight": "Flight: found from flights",
}


class EvidenceMark(QToolButton):
    """Shows where a figure comes from; a click says it comes from elsewhere."""

    chosen = pyqtSignal(object)  # Evidence

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.evidence = ASSUMED
        self.setFixedSize(QSize(22, 22))
        self.clicked.connect(self._offer)

    def _offer(self) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for source in RANK:
            action = menu.addAction(f"{source[0].upper()}   {WORDS[source]}")
            if action is not None:
                action.triggered.connect(lambda _=False, s=source: self._choose(s))
        menu.popup(self.mapToGlobal(self.rect().bottomLeft()))

    def _choose(self, source: Source) -> None:
        if source == "assumed":
            self.chosen.emit(ASSUMED)
        else:
            self.chosen.emit(Evidence(source=source, day=date.today(), conditions="said in the ledger"))

    def show_evidence(self, evidence: Evidence, earlier: int) -> None:
        """Show an origin, and how many earlier figures are on record."""
        self.evidence = evidence
        parts = [evidence.told().capitalize()]
        if evidence.standard_error:
            parts.append(f"standard error {evidence.standard_error:.3g} (SI)")
        if earlier:
            parts.append(f"{earlier} earlier figure{'s' if earlier > 1 else ''} on record")
        self.setToolTip(". ".join(parts) + ". Click to say where it comes from.")
        self.setAccessibleName(f"Evidence: {evidence.source}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.tokens()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = {"assumed": t.faint, "datasheet": t.ochre_text, "bench": t.accent, "flight": t.plum}[
            self.evidence.source
        ]
        width = 2.0 if self.hasFocus() else 1.0
        style = Qt.PenStyle.DashLine if self.evidence.source == "assumed" else Qt.PenStyle.SolidLine
        painter.setPen(QPen(QColor(colour), width, style))
        box = QRectF(3, 3, 16, 16)
        painter.drawRect(box)
        painter.setPen(QColor(colour))
        painter.setFont(theme.font(11, bold=True))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.evidence.mark)
