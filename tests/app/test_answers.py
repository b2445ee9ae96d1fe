"""The store of answers: asked once, current while what it read holds, refused in words, cancelled by a newer one."""

import threading

import pytest

from fusus.app.answers.registry import QUESTIONS
from fusus.app.answers.store import Answers, Question
from fusus.app.jobs import JobRunner
from fusus.errors import ParameterError
from fusus.project import store
from fusus.project.commands import SetValue
from fusus.project.document import Document
from fusus.project.records import Project


class Gate:
    """Work that says when it began, and waits for leave to end."""

    def __init__(self):
        self.begun, self.go, self.runs = threading.Event(), threading.Event(), 0

    def __call__(self, i, *asked):
        self.runs += 1
        self.begun.set()
        assert self.go.wait(10)
        i.progress.step(1, 1, "")
        return i.project.drift.span_s, *asked


@pytest.fixture
def made(tmp_path, qtbot):
    folder = tmp_path / "craft"
    store.create(folder, Project(name="Heron"))
    document = Document.open(folder)
    jobs, gate = JobRunner(), Gate()

    def refuse(i):
        raise ParameterError("span", i.project.drift.span_s, 0.0, 1.0, "s")

    questions = (
        Question("a.span", lambda *_: "Reading", gate),
        Question("a.rate", lambda: "Reading", lambda i: (i.project.loops.rate_hz, i.given)),
        Question("a.refused", lambda: "Refusing", refuse),
    )
    answers = Answers(questions, jobs)
    answers.belong_to(document)
    yield answers, document, gate, jobs
    gate.go.set()
    assert jobs.shut_down(5000)
    document.close()


def ask(qtbot, answers, name, *asked, **how):
    with qtbot.waitSignal(answers.ready, timeout=5000, check_params_cb=lambda q: q == name):
        assert answers.ask(name, *asked, **how)


def test_an_answer_is_current_until_what_it_read_changes(made, qtbot):
    answers, document, gate, _ = made
    gate.go.set()
    assert not answers.is_current("a.span") and answers.result("a.span") is None
    ask(qtbot, answers, "a.span", "x")
    assert answers.result("a.span") == (600.0, "x") and answers.is_current("a.span", "x")
    assert not answers.is_current("a.span", "y"), "that was not asked"
    assert not answers.ask("a.span", "x"), "it is known"
    document.do(SetValue("loops.rate_hz", 400.0, "Set"))
    assert answers.is_current("a.span")
    document.do(SetValue("drift.span_s", 700.0, "Set"))
    assert not answers.is_current("a.span") and answers.result("a.span") == (600.0, "x"), "it stays to be seen"
    document.undo()
    assert answers.is_current("a.span", "x")


def test_a_refusal_is_an_answer_too(made, qtbot):
    answers, document, _, _ = made
    ask(qtbot, answers, "a.refused")
    assert "span" in answers.refusal("a.refused") and answers.result("a.refused") is None
    assert answers.is_current("a.refused") and not answers.ask("a.refused")
    document.do(SetValue("drift.span_s", 700.0, "Set"))
    assert not answers.is_current("a.refused")


def test_the_same_is_not_asked_twice_and_a_newer_one_cancels(made, qtbot):
    answers, _, gate, _ = made
    answers.ask("a.span", "x")
    assert gate.begun.wait(5)
    assert not answers.ask("a.span", "x"), "it is on its way"
    assert answers.ask("a.span", "y")
    with qtbot.waitSignal(answers.ready, timeout=5000):
        gate.go.set()
    assert answers.result("a.span") == (600.0, "y")
    qtbot.wait(50)
    assert answers.result("a.span") == (600.0, "y") and gate.runs == 2


def test_an_answer_on_another_document_is_dropped(made, qtbot):
    answers, _, gate, jobs = made
    answers.ask("a.span", "x")
    assert gate.begun.wait(5)
    answers.belong_to(None)
    gate.go.set()
    qtbot.waitUntil(lambda: not jobs.running, timeout=5000)
    assert answers.result("a.span") is None and not answers.ask("a.span", "x")


def test_what_follows_comes_before_anybody_is_told(made, qtbot):
    answers, *_ = made
    order = []
    answers.ready.connect(lambda q: order.append(("told", q)))
    ask(qtbot, answers, "a.rate", given="ranking", then=lambda found: order.append(("then", found)))
    assert order == [("then", (500.0, "ranking")), ("told", "a.rate")]


def test_every_question_has_a_name_of_its_stage():
    names = [q.name for q in QUESTIONS]
    assert len(set(names)) == len(names)
    assert {n.partition(".")[0] for n in names} == {"parts", "bench", "fusion", "loops", "proof", "kit"}
