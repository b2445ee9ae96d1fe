"""A project to import into."""

import pytest

from fusus.project import store
from fusus.project.records import Project


@pytest.fixture
def folder(tmp_path):
    """A project without a place."""
    place = tmp_path / "Heron"
    store.create(place, Project(name="Heron"))
    return place
