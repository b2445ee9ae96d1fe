"""One module a command; heavy libraries are imported inside them."""

from fusus.cli.commands import brief, compare, demo, importing, parts, project, replay, verify

__all__ = ["brief", "compare", "demo", "importing", "parts", "project", "replay", "verify"]
