"""Waiting for what comes back by itself: room on the disk, a database that somebody else holds."""

import shutil
import time
from collections.abc import Callable
from contextlib import suppress
from typing import TypeVar

import psutil

from ...core.errors import BusyError, SpaceError
from ...core.review.phrases import data_size
from ...core.sequence.size import reserve_bytes
from ...store import Studio, TakeRecord

T = TypeVar("T")
LOOK_EVERY_S = 1.0
LEAST_MEMORY, A_PIXEL = 200 << 20, 400
"""Bytes that the next frame needs besides what is held already: its film, its passes, and what they are made of."""


class Patience:
    """Does for a take what may have to wait, and says in the take's message what it waits for."""

    def __init__(self, studio: Studio, take: TakeRecord, check: Callable[[], None]):
        self._studio, self._take = studio, take
        self._check = check
        self._reserve = reserve_bytes(take.project)
        s = take.project.shot.shoot
        self._memory = LEAST_MEMORY + A_PIXEL * s.width * s.height

    def insist(self, act: Callable[[], T]) -> T:
        """Do something until neither a full disk nor a held database is in its way. `check` may raise meanwhile."""
        while True:
            try:
                return act()
            except BusyError:
                time.sleep(LOOK_EVERY_S)
                self._may_end()
            except SpaceError:
                time.sleep(LOOK_EVERY_S)
                self.wait_for_room()

    def wait_for_room(self) -> None:
        """Return when there is more room on the disk than is kept free."""
        waited = False
        while (free := shutil.disk_usage(self._take.folder).free) < self._reserve:
            waited = True
            self.say(
                f"Waiting for room on the disk: {data_size(free)} are free, {data_size(self._reserve)} are kept free. "
                "Remove what is not needed; shooting goes on by itself."
            )
            time.sleep(LOOK_EVERY_S)
            self._may_end()
        if waited:
            self.say("")

    def wait_for_memory(self) -> None:
        """Return when there is memory for a frame. Other programs may have taken it for a while."""
        waited = False
        while (free := psutil.virtual_memory().available) < self._memory:
            waited = True
            self.say(
                f"Waiting for memory: {data_size(free)} are free, a frame of this size takes about "
                f"{data_size(self._memory)}. Close other programs; shooting goes on by itself."
            )
            time.sleep(LOOK_EVERY_S)
            self._may_end()
        if waited:
            self.say("")

    def say(self, message: str) -> None:
        """Set what the take's line says."""
        with suppress(BusyError, SpaceError):  # it is only a message
            self._studio.takes.update(self._take.id, message=message)

    def _may_end(self) -> None:
        with suppress(BusyError, SpaceError):
            self._check()
