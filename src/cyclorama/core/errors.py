"""The error tree.

CycloramaError            anything the artist should be told, in a sentence
├── IntakeError           a file cannot come in (what is wrong with it, what to do)
├── ChangeError           an edit of the document is not allowed
│   └── StaleError        somebody else changed the project meanwhile
├── ShootError            a shot cannot be taken or went wrong
└── NotFoundError         the thing asked for is not there
"""


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

    current: the version number that counts now
    """

    def __init__(self, sentence: str, current: int):
        super().__init__(sentence)
        self.current = current


class ShootError(CycloramaError):
    """A shot cannot be taken or went wrong."""


class NotFoundError(CycloramaError):
    """The thing asked for is not there."""
