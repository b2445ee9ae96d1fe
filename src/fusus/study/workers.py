"""Who works a campaign off: threads here, or a cluster by the address of its scheduler."""

import os
from collections.abc import Iterator
from concurrent.futures import Executor, ThreadPoolExecutor
from contextlib import contextmanager
from importlib import import_module
from typing import Any

from fusus.errors import ClusterError

ANSWERS_WITHIN_S = 10.0  # a scheduler that is there
FEW = 4  # so few tasks are done one after the other


@contextmanager
def workers(scheduler: str | None, tasks: int) -> Iterator[Executor | None]:
    """Yield an executor for so many tasks: None for a few, threads, or the cluster at ``scheduler`` (tcp://host:port).

    Most of the work is compiled and lets other threads run: threads are as fast as processes, which a window must not fork.
    ClusterError says why a cluster does not answer.
    """
    if scheduler is not None:
        with _cluster(scheduler) as found:
            yield found
    elif tasks < FEW:
        yield None
    else:
        with ThreadPoolExecutor(max(1, min(os.cpu_count() or 1, tasks))) as pool:
            yield pool


@contextmanager
def _cluster(scheduler: str) -> Iterator[Executor]:
    try:
        distributed: Any = import_module("distributed")
    except ImportError as error:
        raise ClusterError(
            scheduler, "the package for clusters is missing: install fusus with its extra “cluster”"
        ) from error
    try:
        client = distributed.Client(scheduler, timeout=ANSWERS_WITHIN_S, set_as_default=False)
    except (OSError, ValueError, TimeoutError) as error:
        raise ClusterError(scheduler, f"no scheduler answers there ({type(error).__name__})") from error
    try:
        yield client.get_executor()
    finally:
        client.close()
