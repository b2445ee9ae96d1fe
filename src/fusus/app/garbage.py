"""Cyclic garbage is collected in the interface thread only, and never at length.

Python collects wherever an allocation happens to be due, also in a job's thread; widgets and figures that die there crash Qt. And
a full collection walks through all that the libraries brought, a quarter of a second long.
"""

import gc
import sys

from PyQt6.QtCore import QObject, QTimer

EVERY_MS = 500


class Collector(QObject):
    """Takes collecting over from Python until it is stopped. Make it in the interface thread."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._modules = 0
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.collect)
        self._timer.start(EVERY_MS)
        gc.disable()

    def collect(self) -> None:
        """Collect what is young, now and then the rest; what libraries brought since the last time is set aside for good."""
        if len(sys.modules) != self._modules:
            self._modules = len(sys.modules)
            gc.collect(1)
            gc.freeze()
        elif gc.get_count()[2] > gc.get_threshold()[2]:
            gc.collect()
        else:
            gc.collect(1)

    def stop(self) -> None:
        """Give collecting back to Python."""
        self._timer.stop()
        gc.enable()
