"""JSON of the schema: places, kinds, and what they are called."""

from fastapi import APIRouter, Response

from ...app.schema import FieldSchema, Schema, fields, schema

router = APIRouter(prefix="/api")
KEPT = {"cache-control": "private, max-age=3600"}


class SchemaAnswer(Schema):
    """Kinds, and every place of a project."""

    fields: list[FieldSchema]


@router.get("/schema")
def everything(response: Response) -> SchemaAnswer:
    """All that is known of documents and kinds beside their values."""
    response.headers.update(KEPT)
    return SchemaAnswer(**dict(schema()), fields=fields())
