"""Writes a project's report by the file's ending."""

from pathlib import Path

from fusus.core.progress import Progress
from fusus.errors import ReportError
from fusus.project.atomic import write_atomically
from fusus.project.records import Project
from fusus.report.gather import gather

ENDINGS = (".html", ".pdf")


def write_report(folder: Path, project: Project, out: Path, progress: Progress | None = None) -> None:
    """Write the report of a project; ReportError for an ending that is none of these, or a place that cannot be written."""
    ending = out.suffix.lower()
    if ending not in ENDINGS:
        raise ReportError(out, f"a report ends in {' or '.join(ENDINGS)}")
    if not out.resolve().parent.is_dir():
        raise ReportError(out, "there is no such folder")
    report = gather(folder, project, progress)
    if ending == ".html":
        from fusus.report.html import as_html

        data = as_html(report).encode()
    else:
        from fusus.report.pdf import as_pdf

        data = as_pdf(report)
    try:
        write_atomically(out, data)
    except OSError as error:
        raise ReportError(out, f"it cannot be written ({error.strerror})") from error
