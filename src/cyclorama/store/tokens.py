"""Tokens: programs that may use the studio without a browser, each with a secret of its own."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated

from pydantic import StringConstraints
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import NotFoundError
from .database import TokenRow, now

PREFIX = "cyc_"
"""Begins every secret, so that one which strays into a file can be found."""
SECRET_BYTES = 32
USED_EVERY = timedelta(minutes=1)
"""The last use is noted no finer: a program that asks a hundred times a second is not to write as often."""
TokenName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]


@dataclass(frozen=True, slots=True)
class Token:
    """A token without its secret."""

    id: str
    name: str
    made: datetime
    used: datetime | None
    """its last use, to the minute; None: never"""


class TokenStore:
    """Tokens in the database, which holds the SHA-256 of each secret: 256 random bits need no slower hash."""

    def __init__(self, sessions: sessionmaker[Session]):
        self._sessions = sessions

    def issue(self, name: str) -> tuple[Token, str]:
        """A new token, and its secret, which cannot be had again."""
        secret = PREFIX + secrets.token_urlsafe(SECRET_BYTES)
        row = TokenRow(id=secrets.token_hex(6), name=name, digest=_digest(secret), made=now(), used=None)
        with self._sessions.begin() as session:
            session.add(row)
            session.flush()
            return _token(row), secret

    def all(self) -> list[Token]:
        """Every token, the newest first."""
        with self._sessions() as session:
            return [_token(row) for row in session.scalars(select(TokenRow).order_by(TokenRow.made.desc()))]

    def revoke(self, token_id: str) -> None:
        """Its secret opens nothing from now on. Raises NotFoundError."""
        with self._sessions.begin() as session:
            row = session.get(TokenRow, token_id)
            if row is None:
                raise NotFoundError("There is no such token; it may have been revoked already.")
            session.delete(row)

    def admits(self, secret: str) -> bool:
        """True for the secret of a token; its use is noted."""
        with self._sessions.begin() as session:
            row = session.scalar(select(TokenRow).where(TokenRow.digest == _digest(secret)))
            if row is not None and (row.used is None or now() - row.used > USED_EVERY):
                row.used = now()
            return row is not None


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def _token(row: TokenRow) -> Token:
    return Token(row.id, row.name, row.made, row.used)
