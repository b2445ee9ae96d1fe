"""A window as a person has it, with its own settings."""

import gc

import pytest
from PyQt6.QtCore import QEvent, QSettings
from PyQt6.QtWidgets import QApplication
from tests.conftest import flown_project, short_flight

from fusus.app import theme
from fusus.app.settings import Settings
from fusus.app.window import Window, apply_theme


@pytest.fixture(autouse=True)
def nothing_left():
    """Collect a test's widgets when it is over: not in whatever later test, thread or drawing an allocation happens to be due."""
    gc.disable()
    yield
    gc.collect()
    gc.freeze()  # what is left now stays: walking through the libraries takes a quarter of a second each time
    gc.enable()


@pytest.fixture(scope="session")
def streams(site):
    """Streams of one short flight."""
    return short_flight(site, seed=3, rate_hz=100.0)[1]


@pytest.fixture
def flown(tmp_path, streams):
    """A project with one flight."""
    folder = tmp_path / "Heron"
    flown_project(folder, streams)
    return folder


@pytest.fixture
def settings(tmp_path):
    """Settings of their own."""
    return Settings(QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat))


@pytest.fixture
def window(qtbot, settings):
    """An open window without a project."""
    app = QApplication.instance()
    # Windows of earlier tests go when the event loop runs; here nobody runs it, and every style change would go through them.
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    theme.load_fonts()
    apply_theme("light")
    assert app is not None
    found = Window(settings)
    qtbot.addWidget(found)
    found.show()
    yield found
    assert found.desk.jobs.shut_down(10_000)
    found.desk.close()


@pytest.fixture
def opened(window, flown, qtbot):
    """A window with a project whose results have come."""
    assert window.desk.open(flown)
    qtbot.waitUntil(
        lambda: window.desk.study is not None and bool(window.desk.judgements) and not window.desk.jobs.running,
        timeout=60_000,
    )
    return window
