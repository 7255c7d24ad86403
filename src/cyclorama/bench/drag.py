"""Time from the hand to the answer, over HTTP and sockets as a browser asks: edits, drags, pages."""

import itertools
import json
import os
import re
import statistics
import struct
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any
from uuid import uuid4

from websockets.sync.client import ClientConnection, connect

from ..core.errors import CycloramaError
from ..demo.projects import storm_glass_project
from ..store import open_studio

UNBUFFERED = os.environ | {"PYTHONUNBUFFERED": "1"}
TRIES = 25
SIZE = 960, 540
"""of the lens, px"""
_requests = itertools.count(1)
WANTED_MS = {"edit": 50.0, "pose": 30.0, "picture": 100.0}


class Window:
    """A browser's window on a project of a studio that runs."""

    def __init__(self, address: str, project: str):
        self.url, self.page = f"{address}/api/projects/{project}", f"{address}/projects/{project}"
        self.held, self.name, self.bytes = "", uuid4().hex, 0
        self.state = self.ask("GET", self.url)
        self.version = self.state["version"]
        self.look, self.camera = self.state["open"]["look"], self.state["open"]["camera"]

    def ask(self, method: str, url: str, body: Any = None) -> Any:
        headers = {"content-type": "application/json", "x-window": self.name, "x-held": self.held}
        data = None if body is None else json.dumps(body).encode()
        with urllib.request.urlopen(urllib.request.Request(url, data, headers, method=method)) as answer:
            read = answer.read()
            self.held = answer.headers.get("etag", self.held).strip('"')
            self.bytes = len(read)
            return json.loads(read) if "json" in answer.headers["content-type"] else None

    def edit(self, path: str, value: float) -> None:
        change = {"kind": "set", "path": path, "value": value}
        self.ask("POST", f"{self.url}/changes", {"base_version": self.version, "changes": [change]})
        self.version += 1


def run_drag(tell: Callable[[str], None]) -> None:
    """Measure the answers of a studio with one demo project; medians of 25, on a quiet machine."""
    with tempfile.TemporaryDirectory() as name:
        folder, demo = Path(name), storm_glass_project()
        studio = open_studio(folder)
        studio.keep_intake(demo.intake)
        studio.assets.put_all(demo.assets)
        studio.projects.create(demo.project)
        command = [sys.executable, "-m", "cyclorama", "run", "--no-open", "--port", "0", "--data", str(folder)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=UNBUFFERED) as running:
            try:
                _measure(Window(_address(running), demo.project.id), tell)
            finally:
                running.terminate()


def _address(running: "subprocess.Popen[str]") -> str:
    for line in running.stdout or ():
        if found := re.search(r"http://[0-9.:]+/", line):
            return found[0].rstrip("/")
    raise CycloramaError("The studio did not start.")


def _measure(window: Window, tell: Callable[[str], None]) -> None:
    with connect(f"{window.url.replace('http', 'ws').replace('/api/', '/live/')}/lens") as lens:
        _step(lens)  # kernels, the scene
        _measure_number(window, lens, "light", f"{window.look}/lights/key/strength_stops", 0.02, tell)
        _measure_number(window, lens, "lens", f"{window.camera}/focal_mm", 20.1, tell)
    pages = _times(lambda _: window.ask("GET", window.page))
    tell(f"page of the studio floor {statistics.median(pages):6.0f} ms")


def _measure_number(
    window: Window, lens: ClientConnection, what: str, path: str, start: float, tell: Callable[[str], None]
) -> None:
    lens.send("{}")  # it rests
    edits = _times(lambda i: window.edit(path, start + 0.02 * i))
    size = window.bytes
    steps = [_step(lens, {"kind": "set", "path": path, "value": start - 0.01 * i}) for i in range(TRIES)]
    poses, pictures = ([step[which] for step in steps] for which in (0, 1))
    tell(f"one number of the {what:5} {_figure(edits, 'edit')}, {size / 1000:.1f} kB")
    tell(f"  dragged: its pose     {_figure(poses, 'pose')}")
    tell(f"  first picture         {_figure(pictures, 'picture')}")


def _times(work: Callable[[int], None]) -> list[float]:
    """Time of each try, ms."""
    times = []
    for i in range(TRIES):
        begin = time.perf_counter()
        work(i)
        times.append(1000.0 * (time.perf_counter() - begin))
    return times


def _figure(times: list[float], wanted: str) -> str:
    return f"{statistics.median(times):6.0f} ms (worst {max(times):.0f}, wanted {WANTED_MS[wanted]:.0f})"


def _step(lens: ClientConnection, change: dict[str, Any] | None = None) -> tuple[float, float]:
    """Time until a drag step has its pose and its first picture, ms. Without a change: a picture as it is saved."""
    width, height = SIZE
    request, begin = next(_requests), time.perf_counter()
    wanted = {"request": request, "frame": 1, "width": width, "height": height}
    lens.send(json.dumps({"drag": wanted | {"changes": [change], "pose": True}} if change else {"develop": wanted}))
    pose, picture = None if change else 0.0, None
    while pose is None or picture is None:
        told = lens.recv()
        spent = 1000.0 * (time.perf_counter() - begin)
        if isinstance(told, bytes):
            length = struct.unpack_from("<I", told)[0]
            if json.loads(told[4 : 4 + length])["request"] == request:
                picture = spent
        elif "pose" in (answer := json.loads(told)) and answer["request"] == request:
            pose = spent
        elif answer.get("error"):
            raise CycloramaError(answer["error"])
    return pose, picture
