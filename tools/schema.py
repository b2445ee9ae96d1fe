"""Writes the published JSON Schema of ``project.json``."""

from pathlib import Path

from fusus.project.store import schema_text


def main() -> None:
    """Write docs/project.schema.json."""
    (Path(__file__).parents[1] / "docs" / "project.schema.json").write_text(schema_text())


if __name__ == "__main__":
    main()
