"""Cells of contact sheets besides frames: passes, parts and colourways of a take."""

import numpy as np
from numpy.typing import NDArray

from ...core.cut.document import Cut
from ...core.cut.timeline import clips_at, lay_out_cut
from ...core.errors import ShootError
from ...core.scene import Project
from ...store import Studio, TakeRecord
from ..frames.files import frame_path
from ..frames.pass_files import mask_of, matte_names_of
from .masters import Masters, finish_frame
from .pass_pictures import pass_picture, views_of
from .take_frames import TakeReel

F32 = NDArray[np.float32]
Named = list[tuple[str, F32]]
LEAST_SEEN = 0.002
"""A part that covers less of the picture is not on the sheet."""


def pictures_beside(studio: Studio, cut: Cut, reel: TakeReel, number: int, what: str) -> Named:
    """Pictures with captions, of the take that a frame of the cut shows. Raises ShootError where there is nothing."""
    sources = clips_at(lay_out_cut(cut), reel.films, cut.rate.fraction, number)
    shown = next((s for s in reversed(sources) if s.clip.take_id and s.number is not None), None)
    if shown is None or shown.number is None:
        raise ShootError(f"Frame {number} shows no take, so there are no {what} of it. Go to a frame that does.")
    take = reel.takes[shown.clip.take_id]
    frame = take.at(shown.number)
    makers = {"passes": _passes, "parts": _parts, "colourways": _colourways}
    return makers[what](studio, take, frame)


def _passes(studio: Studio, take: TakeRecord, frame: int) -> Named:
    masters, finishing = Masters(studio, 0), studio.screening.finish(take).finishing
    names = views_of(take)
    if not names:
        raise ShootError(f"‘{take.name}’ was shot without passes. Tick some under Shoot, and shoot it again.")
    whole = finish_frame(take, frame, finishing, masters, studio.assets.get)
    return [("picture", whole)] + [
        (name, pass_picture(take, name, frame, finishing, masters, studio.assets.get)) for name in names
    ]


def _parts(studio: Studio, take: TakeRecord, frame: int) -> Named:
    if "objects" not in take.project.shot.shoot.passes.wanted:
        raise ShootError(
            f"‘{take.name}’ was shot without mattes of its parts. Shoot it with the pass ‘Mattes of parts’."
        )
    finishing = studio.screening.finish(take).finishing
    whole = finish_frame(take, frame, finishing, Masters(studio, 0), studio.assets.get)
    masks = ((name, mask_of(take, "objects", name, frame)) for name in matte_names_of(take, "objects"))
    return [(name, np.dstack([whole[..., :3], m])) for name, m in masks if float(m.mean()) > LEAST_SEEN]


def _colourways(studio: Studio, take: TakeRecord, frame: int) -> Named:
    """The newest take of each, as all of them were finished."""
    found: dict[str, TakeRecord] = {}
    for take_id in studio.takes.ids(take.project_id):
        other = studio.takes.get(take_id)
        if other.project.shot_id == take.project.shot_id and frame_path(other, frame).exists():
            found[_worn(other.project)] = other
    if len(found) < 2:
        raise ShootError(
            f"Only one colourway of ‘{take.project.shot.name}’ has been shot in frame {frame}. Plan the others, and "
            "shoot them."
        )
    masters = Masters(studio, 0)
    return [
        (name, finish_frame(t, frame, studio.screening.finish(t).finishing, masters, studio.assets.get))
        for name, t in sorted(found.items())
    ]


def _worn(project: Project) -> str:
    """Colourways and look that a project was shot in."""
    worn = [
        v.name for item in project.items for v in item.variants if v.id == item.variant_id and len(item.variants) > 1
    ]
    return ", ".join([*worn, project.look.name])
