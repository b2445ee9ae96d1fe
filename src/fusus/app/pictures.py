"""A picture of each stage, without a display: for the headless demo and the screenshots."""

import sys
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QSettings, QSize
from PyQt6.QtWidgets import QApplication, QWidget

from fusus.app.settings import Settings
from fusus.app.stages.registry import STAGES


def wait_for(app: QApplication, condition: Callable[[], bool], seconds: float = 120.0) -> bool:
    """Let the application work until a condition holds."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)
        if condition():
            settle(app)
            return True
    return False


def settle(app: QApplication) -> None:
    """Let pending paints happen."""
    for _ in range(8):
        app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 10)


def save(widget: QWidget, path: Path) -> None:
    """Save what a widget shows."""
    if not widget.grab().save(str(path), "PNG"):
        raise OSError(f"{path} cannot be written")


def main(arguments: list[str]) -> int:
    """Save pictures of all stages of a project: FOLDER OUT."""
    from fusus.app.__main__ import make_application
    from fusus.app.window.window import Window, apply_theme

    folder, out = Path(arguments[1]), Path(arguments[2])
    app = make_application(arguments[:1])
    apply_theme("light")
    try:
        out.mkdir(parents=True, exist_ok=True)
        scratch = QSettings(str(out / ".settings.ini"), QSettings.Format.IniFormat)
        window = Window(Settings(scratch))
        window.resize(QSize(1280, 800))
        window.show()
        if not window.session.open(folder):
            sys.stderr.write(f"fusus: {window.notice.words.text()}\n")
            return 2
        wait_for(
            app,
            lambda: (
                window.session.fusion is not None
                and bool(window.session.judgements)
                and not window.session.jobs.running
            ),
        )
        for stage in STAGES:
            window.show_stage(stage.name)
            wait_for(app, lambda: not window.session.jobs.running, 20)
            save(window, out / f"{stage.name}.png")
        window.close()
        (out / ".settings.ini").unlink(missing_ok=True)
    except OSError as error:
        sys.stderr.write(f"fusus: the pictures cannot be written ({error.strerror or error}).\n")
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv))
