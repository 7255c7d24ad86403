"""Workshop of a cluster machine: a tracer, frame makers of takes, and received files, kept between steps.

Files are asked for when a step needs them, by the name under which the studio keeps them. They are compared with
their hash, and kept for the next take and the next day.
"""

import hashlib
import os
import shutil
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ...core.errors import ShootError
from ...core.render.compile.compiler import SceneCompiler
from ...core.render.film.tracer import Tracer
from ...core.scene import Project, load_project
from ...store.assets import AssetStore
from ..frames.cache import program
from ..frames.pipeline import FrameMaker

MAKERS = 2
"""Takes of which a machine remembers frames at a time."""
MOST_BYTES = 20 << 30
"""What was not needed longest is forgotten beyond this."""
OLD_S = 30 * 86_400.0
"""A program that was not started for so long is not expected back."""
ASK_AGAIN_S = 20.0
"""A file of which no part came for so long is asked for again: who gives it may not have been heard."""
PATIENCE_S = 600.0
"""Whoever asked for the frame is gone when nothing comes for so long."""


@dataclass(frozen=True, slots=True)
class FarmJob:
    """A take as steps are told of it: a few bytes, whatever the size of the project."""

    topic: str
    """where those listen who asked for it"""
    document: str
    """name of the project's document among what is kept"""
    first: int
    last: int
    every: int
    program: str
    """of whoever asked: another would make other frames"""

    @property
    def numbers(self) -> range:
        return range(self.first, self.last + 1, self.every)


@dataclass(frozen=True, slots=True)
class FilePart:
    """A part of a file on its way."""

    offset: int
    data: bytes
    size: int
    """of the whole file, as is the hash"""
    sha256: str


Ask = Callable[[str, str], None]
"""Asks for a file: topic, name."""


class Workshop:
    """One a process."""

    def __init__(self, folder: Path, ask: Ask, ask_again_s: float = ASK_AGAIN_S):
        """ask: tells those who want a frame that a file is needed; they call `give`."""
        self._ask_again_s = ask_again_s
        self.tracer = Tracer()
        self._kept = AssetStore(folder)
        self._folder, self._ask = folder, ask
        self._came = threading.Condition()
        self._parts: dict[str, bytearray] = {}
        self._heard = 0.0
        """when a part came last"""
        self._spoilt: set[str] = set()
        self._absent: dict[str, str] = {}
        self._makers: OrderedDict[FarmJob, tuple[Project, FrameMaker]] = OrderedDict()

    def maker(self, job: FarmJob) -> tuple[Project, FrameMaker]:
        """The document of a take, and who makes its frames. Raises ShootError for one of another program."""
        if job.program != program().hex():
            raise ShootError("A machine of the cluster has another version of Cyclorama. Update it there.")
        if job not in self._makers:
            project = load_project(self.get(job.topic, job.document).decode())
            compiler = SceneCompiler(lambda name: self.get(job.topic, name))
            self._makers[job] = project, FrameMaker(project, job.numbers, compiler, self.tracer)
        self._makers.move_to_end(job)
        while len(self._makers) > MAKERS:
            self._makers.popitem(last=False)
        return self._makers[job]

    def get(self, topic: str, name: str) -> bytes:
        """A file, fetched if it is not here. Raises ShootError when it does not come."""
        began, asked = time.monotonic(), 0.0
        with self._came:
            while not self._kept.has(name):
                now = time.monotonic()
                if name in self._absent:
                    raise ShootError(self._absent.pop(name))
                if now - max(began, self._heard) > PATIENCE_S:
                    raise ShootError("A file that the frame needs did not come from the studio.")
                if not asked or name in self._spoilt or now - max(asked, self._heard) > self._ask_again_s:
                    self._spoilt.discard(name)
                    self._ask(topic, name)
                    asked = now
                self._came.wait(self._ask_again_s)
        os.utime(self._kept.path(name))  # needed lately
        return self._kept.get(name)

    def give(self, name: str, part: "FilePart | str") -> None:
        """A part of a file that was asked for, or why it cannot come; parts come in order.

        What is not as it should be is asked for again.
        """
        with self._came:
            self._heard = time.monotonic()
            if isinstance(part, str):
                self._absent[name] = part
                self._came.notify_all()
                return
            if part.offset == 0:
                self._parts[name] = bytearray()
            whole = self._parts.get(name)
            if whole is None or len(whole) != part.offset:
                return  # of a delivery that was begun anew meanwhile
            whole += part.data
            if len(whole) < part.size:
                return
            del self._parts[name]
            if hashlib.sha256(whole).hexdigest() == part.sha256:
                self._kept.put(name, bytes(whole))
            else:
                self._spoilt.add(name)
            self._came.notify_all()

    def tidy(self) -> None:
        """Forget what earlier programs were given, and what was not needed longest."""
        self._folder.mkdir(parents=True, exist_ok=True)
        os.utime(self._folder)
        for other in self._folder.parent.iterdir():
            if time.time() - other.stat().st_mtime > OLD_S:
                shutil.rmtree(other, ignore_errors=True)
        files = [(s.st_mtime, s.st_size, p) for p in self._folder.rglob("*") if p.is_file() for s in (p.stat(),)]
        total = 0
        for _, size, path in sorted(files, reverse=True):
            total += size
            if total > MOST_BYTES:
                path.unlink(missing_ok=True)
