"""What all parts of the document share: strict, immutable models and the kinds of numbers in them."""

import secrets
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

Unit01 = Annotated[float, Field(ge=0, le=1)]
Colour = Annotated[tuple[Unit01, Unit01, Unit01], Field(title="Colour", description="linear Rec.709, each 0…1")]
Id = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9_-]+$")]
Name = Annotated[str, Field(title="Name", min_length=1, max_length=80)]


class Doc(BaseModel):
    """A piece of the project document: immutable, no unknown fields, no NaN or infinity."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


def new_id(prefix: str) -> str:
    """A stable id that is unique within a project and readable in a file."""
    return f"{prefix}-{secrets.token_hex(4)}"


def quantity(title: str, unit: str, *, ge: float, le: float, **more: Any) -> Any:
    """A number with a name, a unit and its allowed range, for messages and for the cards."""
    return Field(title=title, ge=ge, le=le, json_schema_extra={"unit": unit}, **more)
