"""Work in the background: it is kept, goes on after a restart and after a death, and is done once."""

import threading
from collections.abc import Callable
from pathlib import Path

import pytest
from pydantic import BaseModel
from tests.shoot.test_shoot import wait_for

from cyclorama.app.jobs import JobContext, JobRunner, Kind
from cyclorama.core.errors import BusyError, CycloramaError, NotFoundError, ShootError
from cyclorama.store import Studio, jobs
from cyclorama.store.jobs import Claims, Job


class Spec(BaseModel):
    n: int = 0


def opened(studio: Studio, do: Callable[[Job, JobContext], dict], **more: object) -> JobRunner:
    work = JobRunner(studio, {"clip": Kind(do, "It is broken.", **more)})  # type: ignore[arg-type]
    work.start()
    return work


@pytest.fixture
def studio(tmp_path: Path) -> Studio:
    return Studio(tmp_path)


def test_a_job_is_done_once_and_tells_how_it_went(studio: Studio) -> None:
    go, done = threading.Event(), []

    def do(job: Job, hand: JobContext) -> dict:
        hand.tell("Half of it", 0.5)
        go.wait(20)
        done.append(Spec.model_validate_json(job.spec).n)
        return {"n": done[-1]}

    work = opened(studio, do)
    asked = [work.ask("clip", "a", "A", Spec(n=7)) for _ in range(5)]
    assert len({job.id for job in asked}) == 1
    wait_for(lambda: studio.jobs.get(asked[0].id).share == 0.5)
    assert studio.jobs.get(asked[0].id).what == "Half of it"
    go.set()
    ended = work.ended(asked[0].id)
    assert (ended.state, ended.share, ended.result, done) == ("done", 1.0, {"n": 7}, [7])
    assert work.ask("clip", "a", "A", Spec()).id != ended.id  # what has ended can be asked for again
    work.close()


@pytest.mark.parametrize(
    ("error", "said"), [(ShootError("No frames."), "No frames."), (ZeroDivisionError(), "It is broken.")]
)
def test_failures_say_why(studio: Studio, error: Exception, said: str) -> None:
    def do(job: Job, hand: JobContext) -> dict:
        raise error

    cleared: list[str] = []
    work = opened(studio, do, clear=lambda job: cleared.append(job.id))
    ended = work.ended(work.ask("clip", "a", "A", Spec()).id)
    assert (ended.state, ended.message, cleared) == ("failed", said, [ended.id])
    work.close()


def test_cancelling_works_from_another_studio(studio: Studio) -> None:
    def do(job: Job, hand: JobContext) -> dict:
        while True:
            hand.tell("", 0.0)

    cleared: list[str] = []
    work = opened(studio, do, at_once=1, clear=lambda job: cleared.append(job.about))
    running, waiting, other = (work.ask("clip", about, about, Spec()) for about in "abc")
    wait_for(lambda: studio.jobs.get(running.id).state == "running")
    assert work.cancel(waiting.id).state == "cancelled"
    assert cleared == ["b"]
    Studio(studio.folder).jobs.cancel(running.id)
    assert work.ended(running.id).message == "Cancelled."
    work.cancel(other.id)
    assert work.ended(other.id).state == "cancelled"
    assert sorted(cleared) == ["a", "b", "c"]
    work.close()


def test_jobs_of_a_closed_studio_go_on_with_the_next(studio: Studio) -> None:
    begun = threading.Event()

    def endless(job: Job, hand: JobContext) -> dict:
        begun.set()
        while True:
            hand.tell("", 0.3)

    cleared: list[str] = []
    first = opened(studio, endless, clear=lambda job: cleared.append(job.id))
    job = first.ask("clip", "a", "A", Spec(n=3))
    assert begun.wait(20)
    first.close()
    assert (studio.jobs.get(job.id).state, cleared) == ("waiting", [])
    with pytest.raises(CycloramaError, match="being closed"):
        first.ended(job.id)
    second = opened(studio, lambda job, hand: {"n": Spec.model_validate_json(job.spec).n})
    assert second.ended(job.id).result == {"n": 3}
    second.close()


def test_jobs_of_the_dead_are_done_by_another_a_few_times(studio: Studio) -> None:
    """A holder that lives keeps its job; one that died loses it; a job that outlives nobody is given up."""
    job = studio.jobs.ask("clip", "a", "A", Spec())
    mine = Claims(studio.folder / "working")
    for state in ("waiting", "failed"):
        holder = Claims(studio.folder / "working")
        assert studio.jobs.claim("clip", holder.owner) is not None
        studio.jobs.take_back(mine)
        assert studio.jobs.get(job.id).state == "running"
        assert studio.jobs.claim("clip", mine.owner) is None
        holder.close()
        studio.jobs.take_back(mine)
        assert studio.jobs.get(job.id).state == state
    assert studio.jobs.get(job.id).message == jobs.DIED


def test_old_jobs_are_forgotten_and_those_at_leisure_never_blamed(
    studio: Studio, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(jobs, "KEPT", 3)
    errors: list[Exception] = [BusyError(), ShootError("Never.")]

    def do(job: Job, hand: JobContext) -> dict:
        if errors:
            raise errors.pop(0)
        return {}

    work = opened(studio, do, at_leisure=True)
    states = [work.ended(work.ask("clip", f"{i}", "A", Spec()).id) for i in range(8)]
    assert [s.state for s in states[:3]] == ["cancelled", "failed", "done"]
    with pytest.raises(NotFoundError):
        studio.jobs.get(states[0].id)
    assert studio.jobs.get(states[-1].id).state == "done"
    work.close()
