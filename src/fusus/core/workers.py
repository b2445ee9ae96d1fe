"""Works many tasks off on any executor: whoever does it, the tasks' own seeds alone decide what comes out."""

from collections.abc import Callable, Generator, Iterable, Sequence
from concurrent.futures import Executor
from typing import TypeVar

from fusus.core.progress import Progress

Task = TypeVar("Task")
Result = TypeVar("Result")


def work_off(
    function: Callable[[Task], Result], tasks: Sequence[Task], executor: Executor | None, progress: Progress, what: str
) -> list[Result]:
    """Return the results in the order of the tasks; without an executor they are done here, one after the other."""
    results: Iterable[Result] = executor.map(function, tasks) if executor is not None else map(function, tasks)
    out: list[Result] = []
    try:
        for i, found in enumerate(results):
            out.append(found)
            progress.step(i + 1, len(tasks), what)
    finally:
        # Whoever cancels does not wait for what has not begun.
        if isinstance(results, Generator):
            results.close()
    return out
