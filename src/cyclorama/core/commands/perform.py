"""Perform commands: the one way a project is edited."""

from collections.abc import Sequence

from ..scene import Doc, Project
from .base import Outcome, performer_of
from .tools import Eye, MeasuresOf, Tools


def perform_all(
    project: Project, commands: Sequence[Doc], measures_of: MeasuresOf, eye: Eye
) -> tuple[Project, list[str]]:
    """The project after commands one after the other, and their labels; see `perform`."""
    labels = []
    for command in commands:
        project, label = perform(project, command, measures_of, eye)
        labels.append(label)
    return project, labels


def perform(project: Project, command: Doc, measures_of: MeasuresOf, eye: Eye) -> Outcome:
    """The changed project and the label under which that can be undone.

    measures_of: gives the measures of an item, None where there are none. Raises ChangeError with a sentence when the
    change is not allowed.
    """
    return performer_of(command)(project, command, Tools(measures_of, eye))
