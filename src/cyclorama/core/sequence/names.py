"""File names of frames by pattern."""

import re
import unicodedata
from pathlib import Path

from ..errors import ChangeError
from ..scene import Project
from ..scene.shoot import PICTURE_EXTENSIONS

LONGEST_NAME_BYTES = 255
"""NAME_MAX of Linux and of most file systems."""


def slug(text: str) -> str:
    """Lower-case letters, digits and hyphens: a name every file system takes."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-") or "untitled"


def sequence_stem(project: Project) -> str:
    """The part of the name that all frames share.

    Raises ChangeError when the pattern names a field that does not exist.
    """
    values = {
        "project": slug(project.name),
        "shot": slug(project.shot.name),
        "look": slug(project.look.name),
        "colourway": slug(_colourway(project)),
        "camera": slug(project.camera.name),
        "width": str(project.shot.shoot.width),
        "height": str(project.shot.shoot.height),
    }
    return name_by_pattern(project.shot.shoot.name_pattern, values) or "frame"


def name_by_pattern(pattern: str, values: dict[str, str]) -> str:
    """A file name with values in place of their fields in braces, without what file systems refuse.

    Raises ChangeError when the pattern names a field that does not exist.
    """
    stem = re.sub(r"\{(\w+)\}", lambda field: values.get(field[1], field[0]), pattern)
    if "{" in stem or "}" in stem:
        fields = ", ".join("{" + name + "}" for name in values)
        raise ChangeError(f"The file name ‘{pattern}’ has a field that is not known. Use {fields}.")
    return re.sub(r"[\\/:*?\"<>|]", "-", stem).strip(" .")


def _colourway(project: Project) -> str:
    """Name of the subject's colourway in the open shot."""
    subject = project.subject
    if subject is None:
        return "none"
    worn = next((w.variant for w in project.shot.wears if w.id == subject.id), subject.variants[0].id)
    return next((v.name for v in subject.variants if v.id == worn), subject.variants[0].name)


def first_and_last(project: Project) -> str:
    """The names of a shot's first and last frame, or why there are none."""
    numbers = project.shot.frame_numbers
    try:
        names = dict.fromkeys(frame_name(project, n) for n in ((numbers[0], numbers[-1]) if numbers else (1,)))
    except ChangeError as error:
        return error.sentence
    return " … ".join(names)


def name_too_long(project: Project) -> str | None:
    """A sentence when files of the shot would have names that no file system takes.

    Raises ChangeError as `sequence_stem` does.
    """
    longest = max((frame_name(project, n) for n in project.shot.frame_numbers[-1:] or (1,)), key=len)
    # passes may have another extension of at most three letters, clips say how often they go round
    length = len(Path(longest).stem.encode()) + len("_x20.mp4")
    if length <= LONGEST_NAME_BYTES:
        return None
    return (
        f"The file names would be {length} bytes long, at most {LONGEST_NAME_BYTES} are possible. Shorten the name "
        f"of the project or the file name ‘{project.shot.shoot.name_pattern}’."
    )


def frame_name(project: Project, number: int) -> str:
    """‘storm-glass-no-4_orbit.0001.png’."""
    extension = PICTURE_EXTENSIONS[project.shot.shoot.file_format]
    return f"{sequence_stem(project)}.{number:0{project.shot.shoot.padding}d}.{extension}"
