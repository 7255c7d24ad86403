"""Foundations of the document: strict, immutable models and the kinds of numbers in them."""

import re
import secrets
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

Affects = Literal[
    "nothing",
    "shoot",
    "motion",
    "transform",
    "geometry",
    "surface",
    "amount",
    "light",
    "gain",
    "camera",
    "film",
    "backdrop",
    "picture",
]
"""What of a picture depends on a value.

nothing: names and where things came from. shoot: how it is shot, and what its files are called. motion: what stands
where in which frame. transform: where a thing is at rest. geometry: shapes, and what of them is seen. surface: what
they are made of. amount: how far they are filled, or written. light: where lights stand and what shapes their beams.
gain: how strong and of which colour light is. camera: what rays leave the lens. film: how light is gathered. backdrop:
what is seen behind everything. picture: how what was gathered is shown.
"""
_CONTROLS = re.compile(r"[\x00-\x09\x0b-\x1f\x7f-\x9f]+")
"""Control characters (Unicode category Cc) but line feeds."""


def _without_controls(text: Any) -> Any:
    """Text without control characters, which have no place in names, files named after them, and edit lists."""
    return _CONTROLS.sub(" ", text) if isinstance(text, str) else text


Unit01 = Annotated[float, Field(ge=0, le=1)]
Colour = Annotated[tuple[Unit01, Unit01, Unit01], Field(title="Colour", description="linear Rec.709, each 0…1")]
Id = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9_-]+$")]
Written = BeforeValidator(_without_controls)
"""Marks fields that somebody wrote."""
Name = Annotated[
    str, Field(title="Name", min_length=1, max_length=80, json_schema_extra={"affects": "nothing"}), Written
]


class Asset:
    """Marks fields that hold the content hash of a file that is kept beside the document."""


ReadAsset = Callable[[str], bytes]
"""Gives a kept file by its content hash."""
AssetRef = Annotated[str, Asset(), Field(max_length=120)]
Then = Literal["settle", "stand", "carry", "mount", "resize", "uncover"]
"""The consequence of setting a value. settle: the item is centred and put on its ground again, and its riders keep
their place on it; stand: items that touched their ground touch it again; carry: riders keep their place on the item;
mount: the item is put onto the item it rides on; resize: as settle, and the subject's studio is scaled with it;
uncover: the environment no longer stands before the background."""


class Doc(BaseModel):
    """A piece of the project document: immutable, no unknown fields, no NaN or infinity."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, revalidate_instances="always")
    AFFECTS: ClassVar[Affects] = "nothing"
    """What the fields affect that say nothing else."""


@dataclass(frozen=True)
class Choices:
    """Beside a field with a choice of values: what each is called on cards."""

    titles: Mapping[str, str]


def new_id(prefix: str) -> str:
    """A stable id that is unique within a project and readable in a file."""
    return f"{prefix}-{secrets.token_hex(4)}"


def quantity(
    title: str,
    unit: str,
    *,
    ge: float,
    le: float,
    affects: Affects | None = None,
    then: Then | None = None,
    moves: bool = False,
) -> Any:
    """A number with a name, a unit and its allowed range, what it affects where that is not what its neighbours do,
    and what follows when it is set: for messages, for the cards, and for all that is kept as long as nothing
    changes. One that `moves` something is followed while the shutter is open; others count in its middle."""
    extra = {"unit": unit} | _said(affects, then) | ({"moves": True} if moves else {})
    return Field(title=title, ge=ge, le=le, json_schema_extra=extra)


def affecting(affects: Affects | None = None, then: Then | None = None, **more: Any) -> Any:
    """A field that affects something else than its neighbours do, or after which something follows."""
    return Field(json_schema_extra=_said(affects, then), **more)


def _said(affects: Affects | None, then: Then | None) -> dict[str, Any]:
    return ({"affects": affects} if affects else {}) | ({"follows": then} if then else {})


def read_only(affects: Affects | None = None, **more: Any) -> Any:
    """A field that nobody edits: it names something, or came with a file."""
    return Field(json_schema_extra={"fixed": True} | _said(affects, None), **more)
