"""The web application."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException

from .. import __version__
from ..core.errors import CycloramaError, IntakeError, NotFoundError, StaleError
from ..shoot.watch import Watch, mark_interrupted
from ..store import Studio
from . import live, pages, projects, standins, takes
from .clips import ClipDesk
from .context import Context
from .intakes import IntakeDesk
from .lens import Lens
from .puppets import Puppets

HERE = Path(__file__).parent
_STATUS = {NotFoundError: 404, StaleError: 409, IntakeError: 422}


def create_app(folder: Path) -> FastAPI:
    """The application over one data folder."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        studio = Studio(folder)
        mark_interrupted(studio)
        watch = Watch(studio)
        watch.start()
        app.state.context = Context(studio, Lens(studio), IntakeDesk(), ClipDesk(), Puppets(studio))
        yield
        watch.close()
        app.state.context.lens.close()

    app = FastAPI(title="Cyclorama", version=__version__, lifespan=lifespan)
    app.add_exception_handler(CycloramaError, _tell)
    app.add_exception_handler(RequestValidationError, _tell_invalid)
    app.add_exception_handler(HTTPException, _tell_refused)
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for module in (pages, projects, standins, takes, live):
        app.include_router(module.router)
    return app


async def _tell(request: Request, error: Exception) -> Response:
    assert isinstance(error, CycloramaError)
    status = next((code for kind, code in _STATUS.items() if isinstance(error, kind)), 422)
    more = {"current": error.current} if isinstance(error, StaleError) else {}
    return _answer(request, error.sentence, status, **more)


async def _tell_refused(request: Request, error: Exception) -> Response:
    """What the framework itself refuses: no such address, or a body that cannot be read."""
    assert isinstance(error, HTTPException)
    sentence = "There is nothing at this address." if error.status_code == 404 else "The request is not understood."
    return _answer(request, sentence, error.status_code)


def _answer(request: Request, sentence: str, status: int, **more: object) -> Response:
    """An error in the artist's words as JSON, or as a page for somebody who came by a link."""
    if "text/html" in request.headers.get("accept", "") and request.method == "GET":
        return pages.problem_page(request, sentence, status)
    return JSONResponse({"error": sentence, **more}, status)


async def _tell_invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    where = ".".join(str(p) for p in first["loc"][1:])
    return JSONResponse({"error": f"The request is not understood: {where}: {first['msg']}."}, 422)
