"""A report as one HTML file that needs nothing else: no network, no script, figures inside."""

from importlib import resources

from jinja2 import Environment, StrictUndefined
from markupsafe import Markup

from fusus.report.content import Picture, Report, Rows, Words, weight_of, words_of


def as_html(report: Report) -> str:
    """Return the report as HTML 5."""
    environment = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    environment.globals.update(words_of=words_of, weight_of=weight_of)
    environment.tests.update(
        words=lambda b: isinstance(b, Words), rows=lambda b: isinstance(b, Rows), picture=lambda b: isinstance(b, Picture)
    )  # fmt: skip
    environment.filters["drawing"] = Markup
    template = (resources.files("fusus.report") / "template.html").read_text(encoding="utf-8")
    return environment.from_string(template).render(report=report)
