"""The report: whole, honest about what it cannot tell, one file that needs nothing else, and readable as page and print."""

import hashlib
import re
from datetime import UTC, datetime
from html.parser import HTMLParser

import pytest
from tests.conftest import flown_project, short_flight

from fusus.core.requirements import STATISTICS
from fusus.errors import ReportError
from fusus.project import store
from fusus.project.records import Brief, Parts, Project
from fusus.report.content import Picture, Report, Rows, Section, Words
from fusus.report.gather import gather
from fusus.report.html import as_html
from fusus.report.pdf import as_pdf
from fusus.report.write import write_report

NOW = datetime(2026, 6, 1, 12, 0, tzinfo=UTC)
VOID = {"meta", "br", "img", "link", "path", "use", "line", "rect"}


class Balanced(HTMLParser):
    """Fails on tags that are not closed in their order; collects what would need the network."""

    def __init__(self):
        super().__init__()
        self.open, self.outside, self.words = [], [], []

    def handle_starttag(self, tag, attrs):
        self.outside += [v for k, v in attrs if k in ("src", "href", "xlink:href") and v and not v.startswith("#")]
        if tag not in VOID:
            self.open.append(tag)

    def handle_startendtag(self, tag, attrs):
        pass

    def handle_endtag(self, tag):
        if tag not in VOID:
            assert self.open.pop() == tag

    def handle_data(self, data):
        self.words.append(data)


def parsed(html):
    found = Balanced()
    found.feed(html)
    found.close()
    assert found.open == []
    return found


@pytest.fixture(scope="module")
def flown(tmp_path_factory, site):
    folder = tmp_path_factory.mktemp("report") / "Heron"
    parts = Parts(imu="Birch 1", barometer="Fen 3", magnetometer="Needle 1", receiver="Tern 3")
    flown_project(folder, short_flight(site, seed=3, rate_hz=100.0)[1], parts=parts)
    return folder, store.load(folder)


@pytest.fixture(scope="module")
def report(flown):
    return gather(*flown, now=NOW)


def rows_of(report, title):
    section = next(s for s in report.sections if s.title == title)
    return [r for b in section.blocks if isinstance(b, Rows) for r in b.rows]


def test_it_tells_all_that_another_person_needs(flown, report):
    folder, project = flown
    titles = [s.title for s in report.sections]
    assert titles == [
        "Cautions", "Result", "Verdicts and findings", "Estimator", "Loops", "Prediction", "Craft and mission",
        "Parts and their error models", "Calibrations", "Versions and hashes",
    ]  # fmt: skip
    hashes = dict(rows_of(report, "Versions and hashes"))
    assert hashes["Project"] == hashlib.sha256((folder / "project.json").read_bytes()).hexdigest()
    assert any("local rules" in b.text for b in report.sections[0].blocks)
    assert len(rows_of(report, "Verdicts and findings")) >= len(project.brief.requirements)
    assert any("Gyro noise density" in r for r in rows_of(report, "Parts and their error models"))
    assert any(r[0] == "roll" for r in rows_of(report, "Loops"))
    pictures = [b for s in report.sections for b in s.blocks if isinstance(b, Picture)]
    assert len(pictures) >= 2 and all(p.png.startswith(b"\x89PNG") and p.svg.startswith("<svg") for p in pictures)


def test_the_result_stands_first_with_the_worst_of_each_requirement_in_words(flown, report):
    _, project = flown
    rows = rows_of(report, "Result")
    first = rows[: len(project.brief.requirements)]
    assert [r[0] for r in first] == [f"{r.title} ({STATISTICS[r.statistic]})" for r in project.brief.requirements]
    every = rows_of(report, "Verdicts and findings")
    for name, _, _, word, recording in first:
        mine = [r[5] for r in every if len(r) == 6 and r[1] == name and r[5][0] in ("pass", "close", "fail")]
        order = ["pass", "close", "fail"]
        if mine:
            assert word[0] == max((m[0] for m in mine), key=order.index) and recording
        else:
            assert word == "not measured"
    assert len(rows) - len(first) <= 3
    text = " ".join(parsed(as_html(report)).words)
    assert "rmse" not in text and "p95" not in text


def test_the_page_is_sound_and_needs_no_network(report):
    found = parsed(as_html(report))
    assert found.outside == []
    text = " ".join(found.words)
    assert "Heron: what it flies on" in text and "2026-06-01 12:00 UTC" in text and "<script" not in as_html(report)
    page = re.sub(
        r"(xmlns(:\w+)?|rdf:about|rdf:resource)=\"[^\"]*\"", "", as_html(report)
    )  # names of vocabularies, not places
    assert not re.search(r"url\((?!#)|@import|https?://", page)


def test_names_are_text_and_never_markup():
    wild = Report(
        "<b>Wild</b> & co", "a < b", "made", (Section("Cautions <i>", (Words("x & <y>"), Rows(("a", "b>"), (("<td>", ("1 < 2", "stop")),)))),)
    )  # fmt: skip
    html = as_html(wild)
    parsed(html)
    assert "&lt;b&gt;Wild" in html and "<td>&lt;td&gt;" not in html and "&lt;td&gt;" in html
    assert as_pdf(wild).startswith(b"%PDF")


def test_the_print_has_pages_with_their_words(report, qapp):
    from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize
    from PyQt6.QtPdf import QPdfDocument

    data = as_pdf(report)
    assert data == as_pdf(report), "the same report gives the same bytes"
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    document = QPdfDocument(None)
    document.load(buffer)
    pages = document.pageCount()
    assert pages >= 3
    words = " ".join(document.getAllText(i).text() for i in range(pages))
    for wanted in ("Cautions", "Verdicts", "page 1", f"page {pages}", "σ", "°"):
        assert wanted in words, wanted
    image = document.render(1, QSize(300, 424))
    assert len({image.pixel(x, y) for x in range(0, 300, 5) for y in range(0, 424, 5)}) > 3, "something is drawn"
    document.close()


def test_what_is_not_there_is_said(tmp_path):
    folder = tmp_path / "Bare"
    store.create(folder, Project(name="Bare", brief=Brief()))
    bare = gather(folder, store.load(folder), now=NOW)
    words = " ".join(b.text for s in bare.sections for b in s.blocks if isinstance(b, Words))
    for wanted in (
        "No IMU is chosen",
        "None has been taken over",
        "No recording has been judged",
        "no recording to show",
    ):
        assert wanted in words
    parsed(as_html(bare))
    assert as_pdf(bare).startswith(b"%PDF")


def test_files_are_written_whole_or_refused_in_words(flown, tmp_path):
    folder, project = flown
    write_report(folder, project, tmp_path / "r.html")
    assert parsed((tmp_path / "r.html").read_text()).outside == []
    for out, says in ((tmp_path / "r.docx", "ends in"), (tmp_path / "no" / "r.pdf", "no such folder")):
        with pytest.raises(ReportError, match=says):
            write_report(folder, project, out)
