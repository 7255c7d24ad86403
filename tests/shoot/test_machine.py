"""A machine of a cluster that does not get to work tries again, whatever is in its way; files are given in order."""

import asyncio
import threading
import time
from collections.abc import Callable
from typing import ClassVar

import pytest
from tests.conftest import awaited

from cyclorama.shoot.farm import machine
from cyclorama.shoot.farm.cluster import Orders


class Worker:
    """The process that works: alive or not."""

    def __init__(self, alive: Callable[[], bool]):
        self.is_alive = alive


class Looker:
    """Stands for what looks after a worker. `starts`: what hinders its starts, None: nothing."""

    starts: ClassVar[list[Exception | None]] = []
    made: ClassVar[list["Looker"]] = []
    alive: ClassVar[Callable[[], bool]] = staticmethod(lambda: True)

    def __init__(self, address: str, **more: object):
        self.more, self.closed, self.process = more, False, Worker(Looker.alive)
        Looker.made.append(self)

    async def __aenter__(self) -> "Looker":
        if Looker.starts and (hindered := Looker.starts.pop(0)) is not None:
            raise hindered
        return self

    async def __aexit__(self, *_: object) -> None:
        self.closed = True

    async def finished(self) -> None:
        await asyncio.Event().wait()


@pytest.fixture
def said(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    monkeypatch.setattr(machine, "Nanny", Looker)
    monkeypatch.setattr(machine, "works", lambda: "work")
    for name, value in (("AGAIN_S", 0.01), ("START_S", 0.3), ("LOOK_EVERY_S", 0.02)):
        monkeypatch.setattr(machine, name, value)
    monkeypatch.setattr(Looker, "made", [])
    monkeypatch.setattr(Looker, "starts", [])
    return []


async def _until(there: Callable[[], bool], said: list[str]) -> None:
    """Work until something is so."""
    work = asyncio.ensure_future(machine._work("tcp://lamp:1", "lamp", said.append))
    end = time.monotonic() + 30.0
    while not there():
        assert not work.done(), work.exception()
        assert time.monotonic() < end
        await asyncio.sleep(0.01)
    work.cancel()
    await asyncio.gather(work, return_exceptions=True)


def test_a_start_that_fails_is_tried_again(said: list[str]) -> None:
    """As the library fails: nobody answers, a start took too long (which it tells in two ways), or failed at all."""
    Looker.starts = [OSError(), TimeoutError(), AssertionError("starting"), RuntimeError(), None]
    awaited(_until(lambda: "Shoots for" in said[-1] if said else False, said))
    assert said[:-1] == ["tcp://lamp:1 does not answer; trying again."] * 4
    assert len(Looker.made) == 5
    assert {looker.more["death_timeout"] for looker in Looker.made} == {machine.START_S}


def test_a_machine_on_which_nobody_works_any_more_begins_anew(said: list[str], monkeypatch: pytest.MonkeyPatch) -> None:
    """The library leaves it at that when a worker that ended could not be started again."""
    monkeypatch.setattr(Looker, "alive", staticmethod(lambda: len(Looker.made) > 1))
    awaited(_until(lambda: len(said) == 3, said))
    assert [looker.closed for looker in Looker.made] == [True, True]  # the second when the work was ended
    assert [line.split()[0] for line in said] == ["Shoots", "tcp://lamp:1", "Shoots"]


def test_a_machine_that_works_is_left_alone(said: list[str]) -> None:
    began = time.monotonic()
    awaited(_until(lambda: time.monotonic() - began > 3 * machine.START_S, said))
    assert len(Looker.made) == 1


def test_files_asked_for_twice_are_sent_once() -> None:
    orders = Orders()
    for name in ("document", "map", "document"):
        orders.ask("lamp-1", name)
    orders.ask("lamp-2", "document")
    assert [orders.next() for _ in range(2)] == [("lamp-1", "document"), ("lamp-1", "map")]
    orders.ask("lamp-1", "map")  # it came spoilt
    assert [orders.next() for _ in range(2)] == [("lamp-2", "document"), ("lamp-1", "map")]


def test_a_source_waits_until_there_is_something_or_no_more() -> None:
    orders, given = Orders(), list[tuple[str, str]]()

    def give() -> None:
        while (order := orders.next()) is not None:
            given.append(order)
            had.set()

    had, thread = threading.Event(), threading.Thread(target=give)
    thread.start()
    orders.ask("lamp-1", "map")
    assert had.wait(30)
    orders.end()
    thread.join(30)
    assert not thread.is_alive()
    assert given == [("lamp-1", "map")]
