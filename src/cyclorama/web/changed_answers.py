"""Answers that tell only the change since the state that a window holds.

An answer with a `content-location` is the state of what is at that address, and its `etag` names it. A request may tell
the tag of the state that it holds of that address in `x-held`; an answer with `x-change-of` is then a patch (see
`core/patches.py`) of that state.
"""

import json
from hashlib import blake2b
from typing import Any

from fastapi import Request, Response
from pydantic import BaseModel
from pydantic_core import from_json

from ..core.memo import Memo
from ..core.patches import difference

HELD = 32
"""States of which changes can be told; about 100 kB each."""


class ChangedAnswers:
    """States that windows hold."""

    def __init__(self) -> None:
        self._held: Memo[str, Any] = Memo(HELD)

    def answer(self, request: Request, location: str, state: BaseModel) -> Response:
        """Answer with the state of an address, or with its change since the state that the request holds."""
        body = state.model_dump_json().encode()
        tag = blake2b(location.encode() + body, digest_size=12).hexdigest()
        document = self._held.get(tag, lambda: from_json(body))
        headers = {"content-location": location, "etag": f'"{tag}"'}
        held = request.headers.get("x-held", "")
        before = self._held.find(held)
        if before is not None:
            headers["x-change-of"] = held
            body = json.dumps(difference(before, document), ensure_ascii=False, separators=(",", ":")).encode()
        return Response(body, media_type="application/json", headers=headers)
