"""Files of the gallery: uploads, whole or begun, and posts."""

import hashlib
import re
import secrets
import threading
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, Field, StringConstraints, TypeAdapter

MediaType = Literal[
    "video/mp4",
    "video/webm",
    "video/quicktime",
    "video/x-msvideo",
    "image/webp",
    "image/gif",
    "image/png",
    "application/pdf",
    "text/html",
]
MOST_BYTES = 2_000_000_000
MOST_POSTS_SHOWN = 200
QUOTA_BYTES, MOST_UPLOADS = 8_000_000_000, 500
"""Of the whole site: what was announced counts, also where it has not come yet."""
Sha = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
Line = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Tag = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40)]
_ID = re.compile(r"^[0-9a-f]{16}$")


class Account(BaseModel):
    """Somebody who may post."""

    name: str
    about: str
    key: str


_ACCOUNTS = (
    ("Vane & Tidewrack", "Makers of things that tell the weather."),
    ("Lantern Quay", "Pictures of things that give light."),
)
"""Names and descriptions; all made up. Their keys are drawn for each folder."""
_ACCOUNT_LIST: TypeAdapter[tuple[Account, ...]] = TypeAdapter(tuple[Account, ...])


class Begin(BaseModel):
    """A file that somebody wants to upload."""

    name: Line
    media: MediaType
    size: Annotated[int, Field(ge=1, le=MOST_BYTES)]
    sha256: Sha


class Upload(Begin):
    """A file that is here, or on its way."""

    id: str
    account: str
    complete: bool = False


class NewPost(BaseModel):
    """Post as sent; the first file is its cover."""

    title: Line
    text: Annotated[str, StringConstraints(max_length=4000)] = ""
    tags: Annotated[list[Tag], Field(max_length=20)] = []
    uploads: Annotated[list[str], Field(min_length=1, max_length=12)]


class KeptPost(NewPost):
    """Post as published."""

    id: str
    account: str
    at: datetime
    once: str
    """what its sender called the request: the same one does not post twice"""


class Refused(Exception):
    """Refusal of a request: an HTTP status, and a sentence."""

    def __init__(self, status: int, sentence: str):
        super().__init__(sentence)
        self.status, self.sentence = status, sentence


class Keeper:
    """Uploads and posts below a folder."""

    def __init__(self, folder: Path):
        self._folder, self._uploads, self._posts = folder, folder / "uploads", folder / "posts"
        self._lock = threading.Lock()

    @cached_property
    def accounts(self) -> tuple[Account, ...]:
        """Accounts and their keys, drawn when the folder was first used."""
        path = self._folder / "accounts.json"
        with self._lock:
            if not path.exists():
                drawn = [Account(name=n, about=about, key=secrets.token_urlsafe(16)) for n, about in _ACCOUNTS]
                self._folder.mkdir(parents=True, exist_ok=True)
                _write(path, _ACCOUNT_LIST.dump_json(tuple(drawn)).decode())
            return _ACCOUNT_LIST.validate_json(path.read_bytes())

    def begin(self, account: Account, wanted: Begin) -> Upload:
        """A new upload, or the one of the same file that this account has begun before."""
        there = self._all_uploads()
        for upload in there:
            if (upload.account, upload.sha256, upload.size) == (account.name, wanted.sha256, wanted.size):
                return upload
        if len(there) >= MOST_UPLOADS or sum(u.size for u in there) + wanted.size > QUOTA_BYTES:
            raise Refused(413, "The gallery is full. Take something down, then post again.")
        upload = Upload(**wanted.model_dump(), id=secrets.token_hex(8), account=account.name)
        self._uploads.mkdir(parents=True, exist_ok=True)
        self.path(upload).touch()
        self._note(upload)
        return upload

    def upload(self, account: Account, upload_id: str) -> Upload:
        """Raises Refused."""
        upload = self.anyones(upload_id)
        if upload.account != account.name:
            raise Refused(404, "There is no such upload.")
        return upload

    def anyones(self, upload_id: str) -> Upload:
        """Raises Refused."""
        note = self._uploads / f"{upload_id}.json"
        if not _ID.match(upload_id) or not note.exists():
            raise Refused(404, "There is no such upload.")
        return Upload.model_validate_json(note.read_bytes())

    def path(self, upload: Upload) -> Path:
        """Where its bytes are, as far as they have come."""
        return self._uploads / upload.id

    def offset(self, upload: Upload) -> int:
        """Number of bytes received."""
        return self.path(upload).stat().st_size

    def add(self, upload: Upload, offset: int, data: bytes) -> int:
        """Add bytes; how many have come then. Raises Refused when they do not follow what is here, or the whole is
        not what was announced: it begins anew then."""
        with self._lock:
            come = self.offset(upload)
            if offset != come:
                raise Refused(409, f"{come} bytes are here, these begin at {offset}.")
            if come + len(data) > upload.size:
                raise Refused(413, f"That is more than the {upload.size} bytes that were announced.")
            with self.path(upload).open("ab") as file:
                file.write(data)
            if come + len(data) == upload.size:
                self._complete(upload)
            return come + len(data)

    def _complete(self, upload: Upload) -> None:
        with self.path(upload).open("rb") as file:
            if hashlib.file_digest(file, "sha256").hexdigest() == upload.sha256:
                self._note(upload.model_copy(update={"complete": True}))
                return
        self.path(upload).write_bytes(b"")
        raise Refused(422, "The bytes are not those that were announced. Send them again from the beginning.")

    def publish(self, account: Account, wanted: NewPost, once: str) -> KeptPost:
        """Show uploads; a request that was answered before is answered in the same way. Raises Refused."""
        for post in self.posts():
            if (post.account, post.once) == (account.name, once):
                return post
        for upload_id in wanted.uploads:
            if not self.upload(account, upload_id).complete:
                raise Refused(422, "Not all of it has come yet.")
        post = KeptPost(
            **wanted.model_dump(), id=secrets.token_hex(8), account=account.name, at=datetime.now(UTC), once=once
        )
        self._posts.mkdir(parents=True, exist_ok=True)
        _write(self._posts / f"{post.id}.json", post.model_dump_json())
        return post

    def posts(self) -> list[KeptPost]:
        """The last first."""
        found = [KeptPost.model_validate_json(p.read_bytes()) for p in self._posts.glob("*.json")]
        return sorted(found, key=lambda p: p.at, reverse=True)[:MOST_POSTS_SHOWN]

    def post(self, post_id: str) -> KeptPost:
        """Raises Refused."""
        path = self._posts / f"{post_id}.json"
        if not _ID.match(post_id) or not path.exists():
            raise Refused(404, "Nothing is shown here any more.")
        return KeptPost.model_validate_json(path.read_bytes())

    def remove(self, post: KeptPost) -> None:
        """Take a post down, and files that no other shows."""
        (self._posts / f"{post.id}.json").unlink()
        shown = {u for other in self.posts() for u in other.uploads}
        for upload_id in set(post.uploads) - shown:
            (self._uploads / upload_id).unlink(missing_ok=True)
            (self._uploads / f"{upload_id}.json").unlink(missing_ok=True)

    def _all_uploads(self) -> list[Upload]:
        return [Upload.model_validate_json(p.read_bytes()) for p in self._uploads.glob("*.json")]

    def _note(self, upload: Upload) -> None:
        _write(self._uploads / f"{upload.id}.json", upload.model_dump_json())


def _write(path: Path, text: str) -> None:
    part = path.with_suffix(".part")
    part.write_text(text, "utf-8")
    part.replace(path)
