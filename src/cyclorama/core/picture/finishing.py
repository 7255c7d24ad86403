"""Finishing of a take's pictures after shooting: grade, lights, backdrop.

It begins as the look was when the take was shot, and is the artist's from then on; the frames stay what they are.
"""

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..arrays import Mask, RGBImage
from ..framing.lens import Projection
from ..motion import Moment, at_time, moment
from ..scene import Doc, Grade, Project, at_values, full_path, value_at
from ..scene.base import ReadAsset, quantity
from ..scene.light import Behind
from ..scene.tone import ViewName
from ..scene.writing import derive
from .backdrop import colours, fit_picture, passing
from .grade.defocus import disc_px
from .grade.finish import Finish
from .light_mix import LightChange

MOST_LIGHTS, MOST_PARTS = 80, 12


class PartGrade(Doc):
    """A grade of one part or material alone, by its matte; worked into the light before the grade of the whole."""

    layer: Literal["objects", "materials"] = "objects"
    name: Annotated[str, Field(min_length=1, max_length=80)]
    grade: Grade = Grade()


class Defocus(Doc):
    """Lens blur made from the depth of a take."""

    f_number: Annotated[float, quantity("Aperture", "f/", ge=0.7, le=128)] = 4.0
    focus_m: Annotated[float, quantity("Focus", "m", ge=1e-4, le=100_000)] = 1.0
    """along the camera's axis"""


class Finishing(Doc):
    """Finishing of a take's frames."""

    grade: Grade = Grade()
    view: Annotated[ViewName, Field(title="View")] = "neutral"
    lights: dict[str, LightChange] = Field(default_factory=dict, max_length=MOST_LIGHTS)
    """What is done to lights that were kept apart, by name of their layer."""
    parts: Annotated[tuple[PartGrade, ...], Field(max_length=MOST_PARTS)] = ()
    behind: Behind | None = None
    """What is laid behind transparent frames; None leaves them transparent."""
    defocus: Defocus | None = None

    @classmethod
    def as_shot(cls, project: Project) -> "Finishing":
        """Finishing of a take that nobody has changed."""
        look = project.look
        return cls(grade=look.grade, view=look.tone.view)

    @property
    def relit(self) -> dict[str, LightChange]:
        """Light changes without those that change nothing."""
        return {name: change for name, change in self.lights.items() if change != LightChange()}


def finish_at(project: Project, finishing: Finishing, frame: int, full_width: int | None = None) -> Finish:
    """Finishing of one frame of a take; `project` is the take's.

    What was keyed in the shot counts as far as the take says nothing else: a value that was set on the take stands.
    """
    shot, camera = project.shot, project.camera
    graded = at_values(project, {"look/grade": finishing.grade, "look/tone/view": finishing.view})
    grade = full_path(project, "look/grade")
    kept = tuple(
        c
        for c in shot.channels
        if c.path.startswith(f"{grade}/") and value_at(graded, c.path) == value_at(project, c.path)
    )
    if kept:
        shot = derive(shot, channels=kept)
        graded = at_time(graded, shot, frame - shot.first_frame)
    return Finish(graded.look.grade, finishing.view, frame, camera.blades, full_width or shot.shoot.width)


def discs_of(project: Project, frame: int, defocus: Defocus, depth_m: Mask) -> NDArray[np.float32]:
    """Radius of the disc of each pixel of a frame (h, w), px: see `grade.defocus`."""
    camera = moment(project, frame).camera
    return disc_px(depth_m, defocus.f_number, defocus.focus_m, camera.focal_mm, camera.sensor_mm, max(depth_m.shape))


def backdrop_of(
    project: Project, frame: int, behind: Behind, read_asset: ReadAsset, shape: tuple[int, int]
) -> RGBImage:
    """Backdrop of a frame of a take, linear and exposed, (h, w, 3)."""
    h, w = shape
    if behind.kind != "picture" or not behind.picture:
        return colours(behind, w, h)
    if not behind.spread_deg:
        return fit_picture(read_asset(behind.picture), behind, w, h)
    first = _looks_to(moment(project, project.shot.first_frame), 1, 1)[0, 0]
    return passing(read_asset(behind.picture), behind, _looks_to(moment(project, frame), w, h), first)


def _looks_to(at: Moment, width: int, height: int) -> NDArray[np.float64]:
    """Directions in the studio that pixels of a frame see (height, width, 3)."""
    lens = Projection.of(at.camera, at.shoot.width, at.shoot.height)
    x = (2 * (np.arange(width) + 0.5) / width - 1) * lens.half_w
    y = (1 - 2 * (np.arange(height) + 0.5) / height) * lens.half_h
    across, up = lens.rays(*np.meshgrid(x, y))
    rays = np.stack([across, up, np.full_like(across, -1.0)], -1)
    return np.asarray(rays @ at.around.cameras[0][:3, :3].T)


def lay_over(linear: RGBImage, alpha: Mask, ground: RGBImage) -> RGBImage:
    """A premultiplied picture (h, w, 3) over a backdrop, both linear and exposed: edges get neither fringe nor halo."""
    return linear + (1.0 - alpha[..., None]) * ground
