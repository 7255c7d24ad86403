"""Which frames of a take are shot again, and how, as it is kept with the take."""

from collections.abc import Collection

from pydantic import TypeAdapter

from ..core.scene.shoot import Again
from .database import TakeRow

_AGAIN: TypeAdapter[tuple[dict[int, Again], list[int]]] = TypeAdapter(tuple[dict[int, Again], list[int]])


def again_of(row: TakeRow) -> tuple[dict[int, Again], list[int]]:
    """Reshoot settings of frames, and the frames that wait for them. Raises ValidationError."""
    return _AGAIN.validate_json(row.again) if row.again else ({}, [])


def keep_again(row: TakeRow, each: dict[int, Again], pending: Collection[int]) -> None:
    row.again = _AGAIN.dump_json((each, sorted(pending))).decode()
