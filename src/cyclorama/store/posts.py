"""Posts to portfolio services, made or planned."""

import secrets
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from ..core.delivery.post import Post
from ..core.errors import NotFoundError
from .database import PostRow, now
from .projects import project_row


@dataclass(frozen=True, slots=True)
class Posted:
    """A post and where it goes."""

    id: str
    project_id: str
    post: Post
    service: str
    key: str
    shown_at: str | None
    at: datetime


class PostStore:
    """Posts in the database."""

    def __init__(self, sessions: sessionmaker[Session]):
        self._sessions = sessions

    def set_key(self, post_id: str, key: str) -> None:
        """Post with another key from now on. Raises NotFoundError."""
        with self._sessions.begin() as session:
            _row(session, post_id).key = key

    def add(self, project_id: str, post: Post, service: str, key: str) -> Posted:
        """Note that something is to be posted. Raises NotFoundError."""
        with self._sessions.begin() as session:
            project_row(session, project_id)
            row = PostRow(
                id=secrets.token_hex(6),
                project_id=project_id,
                post=post.model_dump_json(),
                service=service,
                key=key,
                shown_at=None,
                at=now(),
            )
            session.add(row)
            session.flush()
            return _posted(row)

    def of(self, project_id: str) -> list[Posted]:
        """A project's, the last first."""
        query = select(PostRow).where(PostRow.project_id == project_id).order_by(PostRow.at.desc())
        with self._sessions() as session:
            return [_posted(row) for row in session.scalars(query)]

    def one(self, post_id: str) -> Posted:
        """Raises NotFoundError."""
        with self._sessions() as session:
            return _posted(_row(session, post_id))

    def shown(self, post_id: str, address: str) -> None:
        """Note where it is shown; the key is needed no more. Raises NotFoundError."""
        with self._sessions.begin() as session:
            row = _row(session, post_id)
            row.shown_at, row.key = address, ""

    def forget(self, post_id: str) -> None:
        """Raises NotFoundError."""
        with self._sessions.begin() as session:
            session.delete(_row(session, post_id))


def _row(session: Session, post_id: str) -> PostRow:
    row = session.get(PostRow, post_id)
    if row is None:
        raise NotFoundError("There is no such post; it may have been removed.")
    return row


def _posted(row: PostRow) -> Posted:
    return Posted(
        row.id, row.project_id, Post.model_validate_json(row.post), row.service, row.key, row.shown_at, row.at
    )
