"""The error tree.

CycloramaError            anything the artist should be told, in a sentence
├── IntakeError           a file cannot come in (what is wrong with it, what to do)
├── ChangeError           an edit of the document is not allowed
│   └── StaleError        somebody else changed the project meanwhile
├── ShootError            a shot cannot be taken or went wrong
├── PostError             a portfolio service does not take something
├── DamagedError          something that was kept cannot be read any more
├── BusyError             the database is held by somebody else for longer than one waits
├── OverloadError         too many others ask for what takes long
├── SpaceError            the disk is full
└── NotFoundError         the thing asked for is not there
"""

import errno
from collections.abc import Iterator
from contextlib import contextmanager


class CycloramaError(Exception):
    """A problem told in the artist's words.

    sentence: what is wrong, with the actual value and what is allowed
    """

    def __init__(self, sentence: str):
        super().__init__(sentence)
        self.sentence = sentence


class IntakeError(CycloramaError):
    """A file cannot come in."""


class ChangeError(CycloramaError):
    """An edit of the document is not allowed."""


class StaleError(ChangeError):
    """The edit was made on an older version of the project.

    current: the version number that counts now; changed: label of the last change of the other window
    """

    def __init__(self, sentence: str, current: int, changed: str = ""):
        super().__init__(sentence)
        self.current, self.changed = current, changed


class ShootError(CycloramaError):
    """A shot cannot be taken or went wrong."""


class PostError(CycloramaError):
    """A portfolio service does not take something."""


class DamagedError(CycloramaError):
    """Something that was kept cannot be read any more."""


class BusyError(CycloramaError):
    """The database is held by somebody else for longer than one waits."""

    def __init__(self) -> None:
        super().__init__("Another program holds the studio's database. Nothing was changed; try again in a moment.")


class OverloadError(CycloramaError):
    """Too many others ask for what takes long."""

    def __init__(self) -> None:
        super().__init__("The studio is busy with others who asked before. Try again in a moment.")


class SpaceError(CycloramaError):
    """The disk is full."""

    def __init__(self) -> None:
        super().__init__("The disk is full: this could not be saved, and nothing was changed. Make room and try again.")


@contextmanager
def telling_of_space() -> Iterator[None]:
    """Raises SpaceError where the operating system says that there is no room left."""
    try:
        yield
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise SpaceError from error
        raise


class NotFoundError(CycloramaError):
    """The thing asked for is not there."""
