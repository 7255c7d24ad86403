"""JSON: following and stopping work in the background."""

from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel

from ...store.database import JobKind, JobState
from ...store.jobs import Job, Result
from ..context import Context, context

router = APIRouter(prefix="/api/jobs")
Ctx = Annotated[Context, Depends(context)]


class JobAnswer(BaseModel):
    """Work in the background as it stands."""

    id: str
    kind: JobKind
    name: str
    state: JobState
    what: str
    """the present step"""
    share: float
    """of the whole that is done, 0…1"""
    message: str
    """why it failed"""
    result: Result | None

    @classmethod
    def of(cls, job: Job) -> "JobAnswer":
        return cls(
            id=job.id,
            kind=job.kind,
            name=job.name,
            state=job.state,
            what=job.what,
            share=job.share,
            message=job.message,
            result=job.result,
        )


@router.get("/{job_id}")
def one(ctx: Ctx, job_id: str) -> JobAnswer:
    """State of a job; its `result` holds the ids of the project, take or file it made."""
    return JobAnswer.of(ctx.studio.jobs.get(job_id))


@router.delete("/{job_id}")
def stop(ctx: Ctx, job_id: str) -> JobAnswer:
    """Stop it; whether it could be stopped is seen from how it ends."""
    return JobAnswer.of(ctx.work.cancel(job_id))
