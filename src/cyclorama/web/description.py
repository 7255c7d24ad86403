"""Description of the HTTP interface for programs (OpenAPI 3.1): requests, answers and errors."""

from types import ModuleType
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from fastapi.routing import APIRoute

INTRODUCTION = """
A program sends the token that was made for it in the studio, under Access. A program on the same machine needs none,
unless the studio was opened to the network.

An error answers with a `Problem`: a sentence that can be shown to the artist. What takes long answers with a job; ask
`/api/jobs/{job_id}` until its `state` is `done` or `failed`. A change tells the version of the document it was made
for, and is refused with 409 where somebody else has changed the document since.
"""
PROBLEM = {
    "type": "object",
    "title": "Problem",
    "required": ["error"],
    "properties": {
        "error": {"type": "string", "title": "A sentence for the artist", "examples": ["There is no project ‘x’."]},
        "current": {"type": "integer", "title": "Version of the document now, where the one told is older"},
        "changed": {"type": ["object", "null"], "title": "Change of the document since the version told"},
    },
}
ALWAYS = {
    "401": "The token is unknown or revoked.",
    "403": "A key or a token is missing, or a page of another site asked.",
    "422": "The request cannot be done as it stands; the sentence says why.",
    "503": "The studio is busy. Ask again in a moment.",
    "507": "There is no room on disk.",
}
NOT_FOUND = {"404": "What the address names is not there."}
STALE = {"409": "The document was changed meanwhile. Read it again."}
VERSIONS = {"base_version", "version", "revision"}
"""Fields by which a request tells the state it was made for."""


def operation_id(route: APIRoute) -> str:
    """Name of a request: its module's and its function's."""
    return f"{route.endpoint.__module__.rpartition('.')[2]}_{route.name}"


def tag(module: ModuleType) -> dict[str, str]:
    """Heading of a module's requests."""
    return {"name": module.__name__.rpartition(".")[2].replace("_", " "), "description": (module.__doc__ or "").strip()}


def describe(app: FastAPI, modules: tuple[ModuleType, ...]) -> None:
    """Let an application describe itself, made once when it is first asked for."""

    def openapi() -> dict[str, Any]:
        if app.openapi_schema is None:
            app.openapi_schema = _description(app, modules)
        return app.openapi_schema

    app.openapi = openapi  # type: ignore[method-assign]


def _description(app: FastAPI, modules: tuple[ModuleType, ...]) -> dict[str, Any]:
    told = get_openapi(title=app.title, version=app.version, description=INTRODUCTION, routes=app.routes)
    schemas = told["components"]["schemas"]
    schemas.pop("HTTPValidationError", None)
    schemas.pop("ValidationError", None)
    schemas["Problem"] = PROBLEM
    told["components"]["securitySchemes"] = {"token": {"type": "http", "scheme": "bearer"}}
    told["security"] = [{}, {"token": []}]
    operations = [(path, operation) for path, item in told["paths"].items() for operation in item.values()]
    for path, operation in operations:
        operation["summary"] = operation["summary"].capitalize()
        errors = ALWAYS | (NOT_FOUND if "{" in path else {}) | (STALE if _tells_version(operation, schemas) else {})
        operation["responses"] |= {code: _problem(sentence) for code, sentence in errors.items()}
    used = {name for _, operation in operations for name in operation.get("tags", ())}
    told["tags"] = [tag(module) for module in modules if tag(module)["name"] in used]
    return told


def _tells_version(operation: dict[str, Any], schemas: dict[str, Any]) -> bool:
    body = operation.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema", {})
    fields = schemas.get(body.get("$ref", "").rpartition("/")[2], {}).get("properties", {})
    return bool(VERSIONS & {*fields, *(parameter["name"] for parameter in operation.get("parameters", ()))})


def _problem(sentence: str) -> dict[str, Any]:
    content = {"application/json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    return {"description": sentence, "content": content}
