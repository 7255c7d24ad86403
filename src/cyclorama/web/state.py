"""What the studio floor needs to know about a project, as JSON."""

import base64
import math
from typing import Any

import numpy as np

from ..core.errors import DamagedError
from ..core.framing import Projection
from ..core.geometry.measure import Measures, extreme_points, placed_hull
from ..core.geometry.placement import placement_matrix
from ..core.light.rows import light_colour, light_row
from ..core.motion import (
    STILL,
    Poses,
    aim_point,
    animation_s,
    carriage_of,
    poses_at,
    shown_ev100,
)
from ..core.motion.frames import FrameRate
from ..core.scene import Item, Project, worn
from ..core.scene.shot import DISC
from ..core.sheet import Review, review, stations
from ..core.sheet.placing import stands_on
from ..core.sheet.stations import animation_sentence, detail_sentence, move_sentence
from ..core.words import box_size, offset
from ..store import Saved, Studio


def _rounded(values: Any, digits: int = 6) -> Any:
    return np.round(np.asarray(values, float), digits).tolist()


def _near(values: Any, digits: int = 6) -> Any:
    """Lengths rounded to so many digits of the longest: subjects may be small or large."""
    values = np.asarray(values, float)
    longest = float(np.abs(values).max(initial=0.0))
    return np.round(values, digits - math.ceil(math.log10(longest)) if longest > 0 else digits).tolist()


def _packed(values: Any) -> str:
    """Numbers as base64 of float32, little endian: what there is for every frame."""
    return base64.b64encode(np.ascontiguousarray(values, "<f4").tobytes()).decode()


def _rows(matrices: Any) -> Any:
    """Three rows of each matrix (n, 12)."""
    return matrices[:, :3, :].reshape(len(matrices), 12)


def project_state(studio: Studio, saved: Saved) -> dict[str, Any]:
    """Document, stations, poses, margins and plan of a project as it stands."""
    project = saved.project
    try:
        trouble, measures = None, studio.measures(project.subject)
    except DamagedError as error:  # everything else of the project can still be seen and mended
        trouble, measures = error.sentence, None
    r = review(project, measures)
    report = studio.report(project.subject)
    return {
        "version": saved.version,
        "trouble": trouble,
        "undo": saved.undo,
        "redo": saved.redo,
        "project": project.model_dump(mode="json"),
        "stations": [s.model_dump() for s in stations(r)],
        "shot": _shot(r),
        "margins": _margins(r),
        "subject": _subject(r),
        "items": [
            _item(project, item, measures if item.id == project.subject_id else studio.measures_if_whole(item))
            for item in project.items
        ],
        "report": None if report is None else report.model_dump(mode="json"),
        "lens": lens_state(project),
    }  # fmt: skip


def _margins(r: Review) -> dict[str, Any] | None:
    if r.margins is None:
        return None
    per_frame = _rounded(r.margins.per_frame, 5)
    return {"per_frame": per_frame, "worst": r.margins.worst, "worst_frame": r.margins.worst_frame}


def _shot(r: Review) -> dict[str, Any]:
    """How long the open shot is, how it travels, and where everything stands in the frames that are looked at."""
    project, shot, poses = r.project, r.project.shot, r.poses
    segment = shot.travelling.segments[0] if shot.travelling else None
    return {
        "sentence": move_sentence(project),
        "first": shot.first_frame,
        "frames": shot.frames,
        "rate": [project.rate_num, project.rate_den],
        "seconds": shot.frames * project.rate_den / project.rate_num,
        "kind": segment.kind if segment else "hold",
        "turns": segment.turns if segment else 0.0,
        "step": int(poses.frames[1] - poses.frames[0]) if len(poses) > 1 else 1,
        "count": len(poses),
        "cameras": _packed(_rows(poses.cameras)),
        "disc_deg": _packed(poses.disc_deg),
        "lights_deg": _packed(poses.lights_deg),
        "animation_s": {x.id: _packed(_animation(project, x, poses)) for x in project.items if x.playing},
        "carried": {who: _packed(_rows(poses.carried(who, project.items))) for who in _own_carriages(project)},
    }


def _animation(project: Project, item: Item, poses: Poses) -> Any:
    return animation_s(item, project.shot, FrameRate.of(project), poses.frames)


def _own_carriages(project: Project) -> list[str]:
    """The items that turn by themselves, and so carry themselves and others."""
    found = {carriage_of(item, project.shot, project.items) for item in project.items}
    return sorted(found - {DISC, STILL})


OUTLINE = 240
"""Corners of an item's hull by which the plan draws it."""


def _item(project: Project, item: Item, measures: Measures | None) -> dict[str, Any]:
    """What stand-in and plan draw of an item."""
    hull = np.zeros((0, 3)) if measures is None else extreme_points(placed_hull(measures, item.placement), OUTLINE)
    shown = worn(item, project.shot)
    if item.made is not None:
        made = item.made.model_dump()
        url = "/api/made?" + "&".join(f"{name}={value}" for name, value in made.items())
    else:
        url = f"/api/assets/{item.asset}/standin"
    return {
        "id": item.id,
        "name": item.name,
        "on": item.on,
        "asset": item.asset,
        "standin": url,
        "animation": item.playing[0] if item.playing else None,
        "matrix": placement_matrix(item.placement).tolist(),
        "carriage": carriage_of(item, project.shot, project.items),
        "hull": _near(hull, 5),
        "variant": shown.variant_id,
        "stands_on": stands_on(project, item),
    }


def _subject(r: Review) -> dict[str, Any] | None:
    if r.subject is None or r.project.subject is None:
        return None
    s = r.subject
    return {
        "animation_sentence": animation_sentence(r.project),
        "size_m": s.size_m,
        "size": box_size(s.size_m),
        "gap": offset(s.gap_mm / 1000, max(s.size_m)),
        "wobble": {m: offset(mm / 1000, max(s.size_m)) for m, mm in s.wobble_mm.items()},
        "stands_on": stands_on(r.project, r.project.subject),
        "gap_mm": s.gap_mm,
        "wobble_mm": s.wobble_mm,
        "detail": detail_sentence(r),
        "axis_lean_deg": s.axis_lean_deg,
        "axis_residual": s.axis_residual,
    }


def lens_state(project: Project) -> dict[str, Any]:
    """Exposure, frame, lens, aim and lights: what the stand-in and the plan draw besides the poses."""
    lens = Projection.of_project(project)
    field_w, field_h = lens.field
    look = project.look
    lit = {light.id for light in look.lit_lights}
    lights = []
    for light in look.lights:
        aim = aim_point(light.aim, project)
        row = light_row(light, aim, 0.0)
        colour = light_colour(light)
        lights.append({
            "id": light.id, "name": light.name, "shape": light.shape, "lit": light.id in lit,
            "centre": _near(row[0:3]), "aim": _near(aim, 7),
            "half_u": _near(row[3:6]), "half_v": _near(row[6:9]), "colour": _rounded(colour / colour.max(), 4),
        })  # fmt: skip
    return {
        "ev100": shown_ev100(project, project.shot) - look.tone.offset_stops,
        "half_width": lens.half_w,
        "half_height": lens.half_h,
        "field_width": field_w,
        "field_height": field_h,
        "bend": lens.k,
        "widest": lens.widest,
        "aim": _near(aim_point(project.camera.aim, project), 7),
        "lights": lights,
    }


def pose_state(project: Project, frame: int) -> dict[str, Any]:
    """One frame's pose, for drawing while something is dragged."""
    poses = poses_at(project, project.shot, np.array([float(frame - project.shot.first_frame)]))
    return {
        "camera": _rows(poses.cameras)[0].tolist(),
        "disc_deg": float(poses.disc_deg[0]),
        "lights_deg": float(poses.lights_deg[0]),
        "animation_s": {x.id: float(_animation(project, x, poses)[0]) for x in project.items if x.playing},
        "carried": {who: _rows(poses.carried(who, project.items))[0].tolist() for who in _own_carriages(project)},
        "placements": {x.id: placement_matrix(x.placement).tolist() for x in project.items},
        "lens": lens_state(project),
        "start_azimuth_deg": project.camera.azimuth_deg,
    }
