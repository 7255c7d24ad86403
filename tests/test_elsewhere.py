"""The program on a system that has nothing of Linux's own: from a start over intake and shoot to a delivered file."""

import io
import json
import os
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import av
import pytest
from tests.clusters import free_port
from tests.core.geometry.test_intake import glb

TAKEN_AWAY = """
import builtins, multiprocessing, os
plain, taken = builtins.__import__, {"fcntl", "resource", "py_landlock"}

def without(name, globals=None, *more, **named):
    if name in taken and (globals or {}).get("__name__", "").partition(".")[0] != "psutil":
        raise ModuleNotFoundError(name)
    return plain(name, globals, *more, **named)

builtins.__import__ = without
for name in [n for n in dir(os) if n.startswith("sched_")] + ["pread", "pwrite", "fork", "killpg", "setsid"]:
    delattr(os, name)
multiprocessing.get_all_start_methods = lambda: ["spawn"]
"""
"""Run at the start of every Python below."""
PATIENCE_S = 300.0


class Studio:
    """The program over HTTP."""

    def __init__(self, address: str):
        self.address = address

    def ask(self, path: str, body: object = None, kind: str = "application/json") -> Any:
        data = body if isinstance(body, bytes) or body is None else json.dumps(body).encode()
        asked = urllib.request.Request(f"{self.address}{path}", data, {"content-type": kind})
        return json.loads(urllib.request.urlopen(asked, timeout=120).read())

    def wait(self, found: Callable[[], Any]) -> Any:
        until = time.monotonic() + PATIENCE_S
        while not (answer := found()):
            assert time.monotonic() < until
            time.sleep(0.2)
        return answer

    def done(self, job: str) -> Any:
        ended = self.wait(lambda: (j := self.ask(f"/api/jobs/{job}"))["state"] not in ("waiting", "running") and j)
        assert ended["state"] == "done", ended
        return ended


@pytest.fixture
def studio(tmp_path: Path) -> Iterator[Studio]:
    (tmp_path / "sitecustomize.py").write_text(TAKEN_AWAY)
    paths = os.pathsep.join(filter(None, (str(tmp_path), os.environ.get("PYTHONPATH"))))
    port = free_port()
    command = [sys.executable, "-m", "cyclorama", "run", "--no-open", "--lens-samples", "2", "--port", str(port)]
    here = Studio(f"http://127.0.0.1:{port}")
    process = subprocess.Popen(
        [*command, "--data", str(tmp_path / "Фотостудия 1")], env={**os.environ, "PYTHONPATH": paths}
    )

    def answers() -> bool:
        assert process.poll() is None
        try:
            return bool(here.ask("/api/renderer"))
        except OSError:
            return False

    try:
        here.wait(answers)
        yield here
    finally:
        process.kill()
        process.wait()


def test_a_model_becomes_a_delivered_clip(studio: Studio) -> None:
    boundary = b"----part"
    head = b'Content-Disposition: form-data; name="files"; filename="ball.glb"\r\n\r\n'
    form = b"--" + boundary + b"\r\n" + head + glb() + b"\r\n--" + boundary + b"--\r\n"
    job = studio.ask("/api/intakes", form, f"multipart/form-data; boundary={boundary.decode()}")
    project = studio.done(job["id"])["result"]["project"]
    small = {"width": 32, "height": 24, "quality": "own", "samples": 2, "denoise": False, "to_frame": 3}
    changes = [{"kind": "set", "path": f"shot/shoot/{name}", "value": value} for name, value in small.items()]
    version = studio.ask(f"/api/projects/{project}")["version"]
    state = studio.ask(f"/api/projects/{project}/changes", {"base_version": version, "changes": changes})
    take = studio.ask(f"/api/projects/{project}/takes", {"version": state["version"]})["id"]
    shot = studio.wait(lambda: (t := studio.ask(f"/api/takes/{take}"))["state"] not in ("queued", "running") and t)
    assert shot["state"] == "done", shot
    cut = studio.ask(f"/api/projects/{project}/cut")
    edit = {"do": "add clip", "take_id": take}
    studio.ask(f"/api/projects/{project}/cut", {"version": cut["version"], "edit": edit})
    wanted = {"preset": "web", "width": 32, "height": 24}
    (delivery,) = studio.ask(f"/api/projects/{project}/deliveries", {"deliveries": [wanted]})
    studio.done(delivery["job"]["id"])
    data = urllib.request.urlopen(f"{studio.address}/api/deliveries/{delivery['id']}/file").read()
    with av.open(io.BytesIO(data)) as file:
        assert sum(1 for _ in file.decode(video=0)) == 3
