"""What is being done in the background: told, and ended."""

from typing import Annotated

from fastapi import APIRouter
from fastapi import Path as PathValue

from zeroknot.studio.jobs import told
from zeroknot.web.api import answers
from zeroknot.web.api.deps import StudioDep

router = APIRouter(prefix="/api/jobs")
JobId = Annotated[str, PathValue(max_length=64)]


@router.get("")
def at_work(studio: StudioDep) -> list[answers.Job]:
    return [told(job) for job in studio.at_work()]


@router.get("/{job}")
def job(studio: StudioDep, job: JobId) -> answers.Job:
    return told(studio.jobs.job(job))


@router.post("/{job}/cancel", status_code=202)
def cancel(studio: StudioDep, job: JobId) -> answers.Job:
    """End it; what is done stays done, and can be taken back like any change."""
    return told(studio.let_go(job))
