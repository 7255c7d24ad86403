"""Checks of takes in the background."""

from pydantic import BaseModel

from ..shoot.finish.checking import check_take
from ..store import Studio
from ..store.jobs import Job, Result
from .jobs import JobContext, Kind

FAULT = "The frames could not be checked; the terminal that runs Cyclorama tells more."


class CheckOf(BaseModel):
    """Request to check a take."""

    take_id: str


def check_kind(studio: Studio) -> Kind:
    """Job kind that checks takes."""
    return Kind(lambda job, hand: _check(studio, job, hand), FAULT, at_once=1)


def _check(studio: Studio, job: Job, hand: JobContext) -> Result:
    take = studio.takes.get(CheckOf.model_validate_json(job.spec).take_id)
    found = check_take(studio, take, lambda share: hand.tell("Looking at frames", share))
    return {"sentence": found.sentence}
