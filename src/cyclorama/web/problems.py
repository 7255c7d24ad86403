"""Errors as answers: a sentence as JSON, or a page for somebody who came by a link."""

import errno
import logging
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.templating import Jinja2Templates
from starlette.exceptions import HTTPException

from ..app.jobs import Unwanted
from ..core.errors import BusyError, CycloramaError, DamagedError, NotFoundError, OverloadError, SpaceError, StaleError
from ..core.scene.error_sentences import explain_detail

templates = Jinja2Templates(Path(__file__).parent / "templates")
FAULT = "Something is wrong in Cyclorama itself; nothing was changed. The terminal that runs it tells more."
_STATUS = {NotFoundError: 404, StaleError: 409, DamagedError: 410, BusyError: 503, OverloadError: 503, SpaceError: 507}
_REFUSED = {
    404: "There is nothing at this address.",
    405: "This address does not take such a request.",
    408: "This request stopped in the middle and was given up. Send it again.",
    413: "This request is larger than anything the studio asks for. It was not taken in.",
}
_log = logging.getLogger(__name__)


def answer_problems(app: FastAPI) -> None:
    """Give every error that can come out of a request its answer."""
    app.add_exception_handler(CycloramaError, _tell)
    app.add_exception_handler(Unwanted, _tell_nobody)
    app.add_exception_handler(RequestValidationError, _tell_invalid)
    app.add_exception_handler(HTTPException, _tell_refused)
    app.add_exception_handler(OSError, _tell_of_disk)
    app.add_exception_handler(Exception, _tell_of_fault)


def problem_page(request: Request, sentence: str, status: int) -> Response:
    """A page that says what is wrong and leads back."""
    return templates.TemplateResponse(request, "problem.html", {"sentence": sentence}, status_code=status)


def _answer(request: Request, sentence: str, status: int, **more: object) -> Response:
    if "text/html" in request.headers.get("accept", "") and request.method == "GET":
        return problem_page(request, sentence, status)
    return JSONResponse({"error": sentence, **more}, status)


async def _tell(request: Request, error: Exception) -> Response:
    assert isinstance(error, CycloramaError)
    status = next((code for kind, code in _STATUS.items() if isinstance(error, kind)), 422)
    more = {"current": error.current, "changed": error.changed} if isinstance(error, StaleError) else {}
    return _answer(request, error.sentence, status, **more)


async def _tell_nobody(request: Request, error: Exception) -> Response:
    """The browser went away before its answer was there (no standard has a status for that; this one is common)."""
    return Response(status_code=499)


async def _tell_refused(request: Request, error: Exception) -> Response:
    """Answer to requests that the framework refuses: no such address, or a body that cannot be read."""
    assert isinstance(error, HTTPException)
    return _answer(request, _REFUSED.get(error.status_code, "The request is not understood."), error.status_code)


async def _tell_invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    return _answer(request, explain_detail(error.errors()[0], None), 422)


async def _tell_of_disk(request: Request, error: Exception) -> Response:
    assert isinstance(error, OSError)
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return await _tell(request, SpaceError())
    if error.errno == errno.ENAMETOOLONG:  # no file is called so
        return _answer(request, _REFUSED[404], 404)
    _log.error("%s %s", request.method, request.url.path, exc_info=error)
    return _answer(request, f"A file of the studio could not be used: {error.strerror or error}.", 500)


async def _tell_of_fault(request: Request, error: Exception) -> Response:
    return _answer(request, FAULT, 500)
