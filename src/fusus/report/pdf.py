"""A report as a PDF for print: A4, page numbers, tables that run over pages with their titles repeated."""

import io
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from fusus.report.content import Picture, Report, Rows, Words, weight_of, words_of

COLOURS = {"stop": "#A33A2C", "mind": "#8A5A0B", "fine": "#0F6B6B", "": "#22303A"}
MARGIN_MM, WIDTH_MM = 18.0, 174.0
FRAME_PT = 12.0  # what the page's frame keeps free at both sides together


def _fonts() -> None:
    """Have fonts that know Greek letters and mathematical signs: those that the drawing library brings along."""
    import matplotlib as mpl
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    folder = Path(mpl.get_data_path()) / "fonts" / "ttf"
    for name, file in (("Text", "DejaVuSans"), ("Text-Bold", "DejaVuSans-Bold"), ("Mono", "DejaVuSansMono")):
        pdfmetrics.registerFont(TTFont(name, str(folder / f"{file}.ttf")))
    pdfmetrics.registerFontFamily("Text", normal="Text", bold="Text-Bold", italic="Text", boldItalic="Text-Bold")


def as_pdf(report: Report) -> bytes:
    """Return the report as PDF."""
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.units import mm
    from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer

    _fonts()
    styles = _styles()
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=MARGIN_MM * mm, rightMargin=MARGIN_MM * mm, topMargin=20 * mm, bottomMargin=20 * mm,
        title=report.title, author="Fusus", invariant=1,
    )  # fmt: skip
    story: list[Any] = [
        Paragraph(escape(report.title), styles["title"]), Paragraph(escape(report.about), styles["text"]),
        Paragraph(escape(report.made), styles["faint"]), Spacer(1, 4 * mm),
    ]  # fmt: skip
    for section in report.sections:
        story.append(Paragraph(escape(section.title), styles["heading"]))
        for block in section.blocks:
            story += _block(block, styles)

    def foot(canvas: Any, _document: Any) -> None:
        canvas.saveState()
        canvas.setFont("Text", 8)
        canvas.setFillColor("#5B6770")
        canvas.drawString(MARGIN_MM * mm, 11 * mm, report.title)
        canvas.drawRightString((MARGIN_MM + WIDTH_MM) * mm, 11 * mm, f"page {canvas.getPageNumber()}")
        canvas.restoreState()

    document.build(story, onFirstPage=foot, onLaterPages=foot)
    return out.getvalue()


def _styles() -> dict[str, Any]:
    from reportlab.lib.styles import ParagraphStyle

    text = ParagraphStyle("text", fontName="Text", fontSize=9, leading=13, textColor=COLOURS[""], spaceAfter=4)
    return {
        "text": text,
        "title": ParagraphStyle("title", parent=text, fontName="Text-Bold", fontSize=20, leading=26),
        "heading": ParagraphStyle(
            "heading", parent=text, fontName="Text-Bold", fontSize=12.5, leading=16, spaceBefore=12, spaceAfter=5, keepWithNext=1
        ),
        "faint": ParagraphStyle("faint", parent=text, fontSize=7.5, leading=10, textColor="#5B6770"),
        "caution": ParagraphStyle("caution", parent=text, leftIndent=8, borderColor=COLOURS["stop"], textColor=COLOURS["stop"]),
        "cell": ParagraphStyle("cell", parent=text, fontSize=7.5, leading=10, spaceAfter=0),
        "number": ParagraphStyle("number", parent=text, fontName="Mono", fontSize=7.5, leading=10, alignment=2, spaceAfter=0),
        "head": ParagraphStyle("head", parent=text, fontName="Text-Bold", fontSize=7.5, leading=10, spaceAfter=0),
        "head number": ParagraphStyle(
            "head number", parent=text, fontName="Text-Bold", fontSize=7.5, leading=10, alignment=2, spaceAfter=0
        ),
    }  # fmt: skip


def _block(block: Words | Rows | Picture, styles: dict[str, Any]) -> list[Any]:
    from reportlab.lib.units import mm
    from reportlab.platypus import Image, KeepTogether, Paragraph, Spacer

    if isinstance(block, Words):
        return [Paragraph(escape(block.text), styles["caution" if block.is_caution else "text"])]
    if isinstance(block, Rows):
        return [_table(block, styles), Spacer(1, 3 * mm)]
    image = Image(io.BytesIO(block.png))
    width = WIDTH_MM * mm - FRAME_PT
    image.drawWidth, image.drawHeight = width, image.imageHeight * width / image.imageWidth
    return [KeepTogether([image, Paragraph(escape(block.caption), styles["faint"])])]


def _table(block: Rows, styles: dict[str, Any]) -> Any:
    from reportlab.lib.units import mm
    from reportlab.platypus import Paragraph, Table, TableStyle

    numbers = [t.endswith(">") for t in block.titles]
    rows: list[list[Any]] = [
        [
            Paragraph(escape(t.rstrip(">")), styles["head number" if n else "head"])
            for t, n in zip(block.titles, numbers, strict=True)
        ]
    ]
    for row in block.rows:
        rows.append(
            [
                Paragraph(
                    f'<font color="{COLOURS[weight_of(c)]}">{escape(words_of(c))}</font>',
                    styles["number" if n else "cell"],
                )
                for c, n in zip(row, numbers, strict=True)
            ]
        )
    widths = block.widths or tuple(1.0 for _ in block.titles)
    unit = (WIDTH_MM * mm - FRAME_PT) / sum(widths)
    table = Table(rows, colWidths=[w * unit for w in widths], repeatRows=1)
    table.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, -1), 0.4, "#D8D3C7"), ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0), ("RIGHTPADDING", (0, 0), (-1, -1), 5), ("TOPPADDING", (0, 0), (-1, -1), 2),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
            ]
        )
    )  # fmt: skip
    return table
