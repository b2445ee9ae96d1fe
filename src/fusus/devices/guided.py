"""A capture under a guide: new samples go to the guide as they come, and its judgement comes back."""

import time
from dataclasses import dataclass, field

from fusus.core.guidance.guides import Guide
from fusus.core.guidance.status import Status
from fusus.core.guidance.watch import Watch
from fusus.devices.capture import Capture

JUDGE_S = 0.4
REST_S = 0.25  # of this computer's time between two judgements: a fit of a sphere must not keep the reader waiting


@dataclass(slots=True)
class Guided:
    """A capture and its guide; ``status`` is the latest judgement."""

    capture: Capture
    guide: Guide
    watch: Watch = field(default_factory=Watch)
    status: Status = field(default_factory=lambda: Status(0.0, "Waiting for the board."))
    _seen: dict[str, int] = field(default_factory=dict)
    _judged_us: int = -1
    _judged_at: float = 0.0

    def look(self) -> Status:
        """Judge what has come, a few times a second of the board's time."""
        now = self.capture.decoder.last_us
        if now - self._judged_us >= JUDGE_S * 1e6 and time.monotonic() - self._judged_at >= REST_S:
            self._judged_us, self._judged_at = now, time.monotonic()
            self.watch.add(self._new())
            self.status = self.guide.judge(self.watch)
        return self.status

    def _new(self) -> dict[str, dict]:  # type: ignore[type-arg]
        block = {}
        for name, stream in self.capture.decoder.streams.items():
            first = self._seen.get(name, 0)
            if len(stream.t_us) > first:
                t, columns = self.capture.decoder.take(name, first)
                block[name] = {"t_ns": t, **columns}
                self._seen[name] = len(stream.t_us)
        return block
