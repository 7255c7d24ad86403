"""Uses of a take or a project elsewhere, in sentences, to be read before it is removed."""

from contextlib import suppress

from ..core.errors import CycloramaError
from ..store import Studio


def take_uses(studio: Studio, take_id: str) -> list[str]:
    """Sentences on where a take is used: cuts, takes made of it, backdrops. Raises NotFoundError."""
    studio.takes.state(take_id)
    return _uses(studio, {take_id})


def project_uses(studio: Studio, project_id: str) -> list[str]:
    """Sentences on where a project's takes are used in others. Raises NotFoundError."""
    studio.projects.version(project_id)
    takes = {take.id for take in studio.take_list.all(project_id)}
    return _uses(studio, takes, apart_from=project_id)


def _uses(studio: Studio, takes: set[str], apart_from: str | None = None) -> list[str]:
    """Where takes are used, but for one project."""
    sentences = []
    for project in studio.projects.listed():
        if project.id == apart_from:
            continue
        with suppress(CycloramaError):
            clips = [clip for clip in studio.cuts.get(project.id).cut.clips if clip.take_id in takes]
            if clips:
                sentences.append(f"The cut of ‘{project.name}’ shows it in {_count(len(clips), 'clip')}.")
    for other in studio.take_list.all():
        if other.id in takes or other.project_id == apart_from:
            continue
        if other.source_id in takes:
            sentences.append(f"The take ‘{other.name}’ is made of it and could not be resumed.")
        elif not studio.screening.untouched(other.id):
            with suppress(CycloramaError):
                behind = studio.screening.finish(studio.takes.get(other.id)).finishing.behind
                if behind is not None and behind.take in takes:
                    sentences.append(f"The take ‘{other.name}’ has it as its backdrop.")
    return sentences


def _count(number: int, one: str, several: str | None = None) -> str:
    return f"{number} {one if number == 1 else several or one + 's'}"
