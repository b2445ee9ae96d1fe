"""A window as a person has it, with its own settings."""

import gc
import inspect

import pytest
from PyQt6.QtCore import QEvent, QSettings
from PyQt6.QtWidgets import QApplication
from tests.app.shared_answers import SharedAnswers, same_place
from tests.conftest import flown_project, short_flight

from fusus.app import theme
from fusus.app.settings import Settings
from fusus.app.window.window import Window, apply_theme


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


@pytest.fixture(scope="session")
def flown_once(tmp_path_factory, streams):
    """A project with one flight, for copies."""
    folder = tmp_path_factory.mktemp("once") / "Heron"
    flown_project(folder, streams)
    return folder


@pytest.fixture
def flown(flown_once):
    """A project with one flight, of its own for each test and always in the same place."""
    return same_place(flown_once, flown_once.parent.parent / "at-work" / "Heron")


@pytest.fixture(scope="session")
def shared_answers():
    """Answers that tests of one process hand on."""
    return SharedAnswers()


@pytest.fixture(autouse=True)
def answers_handed_on(request, shared_answers, monkeypatch):
    """Hand answers on, unless a test replaces what computes them."""
    if "monkeypatch" not in inspect.signature(request.function).parameters:
        shared_answers.use(monkeypatch)


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
    assert app is not None
    theme.load_fonts()
    if theme.tokens() is not theme.LIGHT or not app.styleSheet():  # a style goes through all widgets there are
        apply_theme("light")
    found = Window(settings)
    found.session._timer.setInterval(10)  # nobody types here
    qtbot.addWidget(found)
    found.show()
    yield found
    assert found.session.jobs.shut_down(10_000)
    found.session.close()


@pytest.fixture
def opened(window, flown, qtbot):
    """A window with a project whose results have come."""
    assert window.session.open(flown)
    qtbot.waitUntil(
        lambda: (
            window.session.fusion is not None and bool(window.session.judgements) and not window.session.jobs.running
        ),
        timeout=60_000,
    )
    return window


def answered(qtbot, window, question, fits=lambda found: True):
    """Return a block that waits for the answer to a question, one that fits."""
    answers = window.session.answers
    return qtbot.waitSignal(
        answers.ready,
        timeout=30_000,
        check_params_cb=lambda q: q == question and answers.result(q) is not None and fits(answers.result(q)),
    )
