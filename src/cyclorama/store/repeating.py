"""Something that is done again and again in the background, as long as the studio is open."""

import logging
import threading
from collections.abc import Callable

from ..core.errors import CycloramaError

CLOSE_S = 10.0


class Repeating:
    """Calls a function every so many seconds in a thread of its own; what it raises goes to the log."""

    def __init__(self, name: str, act: Callable[[], None], every_s: float):
        self._act, self._every_s = act, every_s
        self._log = logging.getLogger(f"{__name__}.{name}")
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)

    def start(self) -> None:
        self._thread.start()

    def close(self) -> None:
        """Call it no more; returns when the last call has ended."""
        self._stop.set()
        self._thread.join(timeout=CLOSE_S)

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                self._act()
            except CycloramaError as error:
                self._log.warning("%s", error.sentence)
            except Exception:
                self._log.exception("This failed, and is tried again")
            self._stop.wait(self._every_s)
