"""Clusters for tests: a scheduler and machines as processes of their own, which come, go and die."""

import itertools
import os
import signal
import socket
import subprocess
import sys
import time
from contextlib import suppress

from distributed import Client


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Cluster:
    """A scheduler and machines on this one."""

    def __init__(self) -> None:
        port = free_port()
        self.address = f"tcp://127.0.0.1:{port}"
        self._port, self._count = port, itertools.count(1)
        self.machines: list[subprocess.Popen[bytes]] = []
        self.schedule()

    def schedule(self) -> None:
        self.scheduler = self._run("scheduler", "--port", str(self._port))

    def add(self) -> None:
        self.machines.append(self._run("worker", self.address, "--name", f"lamp-{next(self._count)}"))

    def joined(self) -> None:
        """Wait until every machine that was added can be given work."""
        with Client(self.address, set_as_default=False) as client:
            while len(client.scheduler_info(n_workers=-1)["workers"]) < len(self.machines):
                gone = [machine.args for machine in self.machines if machine.poll() is not None]
                assert not gone, f"A machine ended: {gone}"
                time.sleep(0.1)

    def _run(self, *words: str) -> "subprocess.Popen[bytes]":
        command = [sys.executable, "-m", "cyclorama", *words]
        return subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)

    @staticmethod
    def kill(process: "subprocess.Popen[bytes]") -> None:
        """As when the power goes: with all that belongs to it, and without a word."""
        with suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)
        process.wait()

    def close(self) -> None:
        for process in [*self.machines, self.scheduler]:
            self.kill(process)
