"""Starts the window."""

import logging
import signal
import sys
from pathlib import Path
from types import TracebackType

from platformdirs import user_log_path
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from fusus.app import theme
from fusus.app.settings import LAST_PROJECT, THEME, Settings

DEMO = "--demo"  # in place of a project: the demo, made where it is not there yet


def make_application(arguments: list[str]) -> QApplication:
    """Return the application with fonts loaded."""
    app = QApplication(arguments)
    app.setApplicationName("Fusus")
    app.setDesktopFileName("fusus")
    theme.follow_desktop_font(app.font().pointSizeF())
    theme.load_fonts()
    return app


def _log_to_file() -> None:
    path = user_log_path("fusus") / "errors.log"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        logging.basicConfig(filename=path, level=logging.WARNING, format="%(asctime)s %(levelname)s %(message)s")
    except OSError:
        logging.basicConfig(level=logging.WARNING)


def main(arguments: list[str]) -> int:
    """Open the window with the project named, or the last one."""
    _log_to_file()
    app = make_application(arguments)
    from fusus.app.window.window import Window, apply_theme

    settings = Settings()
    apply_theme(settings.get(THEME))
    window = Window(settings)

    def on_defect(kind: type[BaseException], value: BaseException, trace: TracebackType | None) -> None:
        # In PyQt6 an exception that leaves a slot would end the program: say it and go on.
        logging.getLogger("fusus").error("defect", exc_info=(kind, value, trace))
        window.notice.tell(
            "stop", "A defect of Fusus stopped the last step; the details are in its log file. Nothing saved is lost."
        )

    sys.excepthook = on_defect
    signal.signal(signal.SIGINT, lambda *_: window.close())
    # Python sees signals only between Qt's events.
    beat = QTimer()
    beat.start(200)
    beat.timeout.connect(lambda: None)
    window.show()
    named = arguments[1] if len(arguments) > 1 else settings.get(LAST_PROJECT)

    def begin() -> None:
        """Do what takes time after the window is there."""
        from fusus.app.compiling import compile_first

        compile_first(window.session.jobs)
        if named == DEMO:
            window.openings.open_demo(Path(arguments[2]) if len(arguments) > 2 else None)
        elif named and (len(arguments) > 1 or Path(named, "project.json").exists()):
            window.session.open(Path(named))

    QTimer.singleShot(50, begin)
    return int(app.exec())


if __name__ == "__main__":
    sys.exit(main(sys.argv))
