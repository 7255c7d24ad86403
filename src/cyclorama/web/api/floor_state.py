"""State of a project for the studio floor."""

import base64
from functools import partial
from typing import Any
from urllib.parse import urlencode

import numpy as np

from ...app.progress import progress_of
from ...core.commands.keys import is_in_use
from ...core.errors import DamagedError
from ...core.framing import crops, format_margins
from ...core.geometry.copies import shown_hull
from ...core.geometry.measure import Measures, extreme_points
from ...core.geometry.placement import placement_matrix
from ...core.motion import STILL, LoopGap, Poses, acting_at, aim_point, at_rest, carriage_of, gaps, poses_at, values_at
from ...core.motion.curve import handles_of
from ...core.motion.frames import FrameRate
from ...core.motion.paths import along, length_m
from ...core.motion.rows import lengths_of
from ...core.motion.timecode import timecode
from ...core.render.film.proof import Reading
from ...core.review import Review, review, stations
from ...core.review.measures import FOCUS_LIMIT_PX, LEAST_ROOM, MOST_HIDDEN
from ...core.review.next_step import next_step
from ...core.review.phrases import stands_on
from ...core.review.stations import animation_sentence, background_hints, detail_sentence, move_sentence
from ...core.scene import Channel, Item, Path, Project, place_of, value_at, with_worn_colourway
from ...core.scene.light import WITH_RIG
from ...core.scene.property import open_paths
from ...core.scene.shot import DISC
from ...core.sequence.names import first_and_last
from ...core.words import box_size, length, offset
from ...store import Saved, Studio
from ...store.proofs import Proof, proofs_of
from .answers import (
    DrawnPath,
    GapState,
    HintState,
    ItemState,
    KeyedState,
    LaneState,
    MarginsState,
    OtherCamera,
    PoseState,
    ProjectState,
    ProofState,
    ShotState,
    SubjectState,
)
from .floor_lens import lens_state, light_carriage, near, round_all

LEAST_METERED = 3
"""Frames of a proof from which on it is told how the light goes."""
LIGHT_RANGE = 1.0
"""Stops by which the subject may become lighter than in the mean of the move before it is said."""
MOST_BURNT = 0.005
"""Share of the subject that may burn out before it is said."""


def _packed(values: Any) -> str:
    """Numbers as base64 of float32, little endian: what there is for every frame."""
    return base64.b64encode(np.ascontiguousarray(values, "<f4").tobytes()).decode()


def _rows(matrices: Any) -> Any:
    """Three rows of each matrix (n, 12)."""
    return matrices[:, :3, :].reshape(len(matrices), 12)


def project_state(studio: Studio, saved: Saved) -> ProjectState:
    """A project as it stands, with everything measured."""
    project = saved.project
    try:
        trouble, measures = None, studio.measures(project.subject)
    except DamagedError as error:  # everything else of the project can still be seen and mended
        trouble, measures = error.sentence, None
    r, proofs = review(project, measures), proofs_of(studio.folder, project)
    proof, found, hints = proofs[project.shot_id], stations(r), background_hints(r)
    return ProjectState(
        version=saved.version,
        trouble=trouble,
        undo=saved.undo,
        redo=saved.redo,
        project=project,
        crops=crops(project),
        open=open_paths(project),
        stations=list(found),
        haze=project.set.haze.thickness(project.camera.distance_m),
        next=next_step(found, progress_of(studio, project, proof)),
        shot=_shot(r),
        margins=_margins(r),
        lanes=_lanes(r) + _metered(r, proof.readings()),
        background_hints=[HintState(text=text, fix=hints.fixes.get(text)) for text in hints],
        proof=ProofState(key=proof.key, whole=proof.whole, numbers=proof.numbers),
        subject=_subject(r),
        items=[
            _item(project, item, measures if item.id == project.subject_id else studio.measures_if_whole(item))
            for item in project.items
        ],
        report=studio.report(project.subject),
        lens=lens_state(project, r.poses, 0),
        file_names=first_and_last(project),
        shot_pictures=_shot_pictures(project, proofs),
        other_cameras=[
            OtherCamera(
                id=x.id,
                name=x.name,
                rows=_rows(at_rest(project, x)[None])[0].tolist(),
                aim=near(aim_point(x.aim, project), 7),
            )
            for x in project.cameras
            if x.id != project.shot.camera_id
        ],
        paths=[_path(path) for path in project.paths],
    )


def lanes_of(studio: Studio, project: Project) -> list[LaneState]:
    """Measurements of every frame of a project's shot. Raises DamagedError when its measures are gone."""
    r = review(project, studio.measures(project.subject))
    return _lanes(r) + _metered(r, proofs_of(studio.folder, project)[project.shot_id].readings())


def _shot_pictures(project: Project, proofs: dict[str, Proof]) -> dict[str, str]:
    """The middle one of the frames that are there, by the shot's id."""
    at = f"/api/projects/{project.id}/proof"
    return {
        shot: f"{at}/{proof.key}/frames/{numbers[len(numbers) // 2]}"
        for shot, proof in proofs.items()
        if (numbers := proof.numbers)
    }


def _margins(r: Review) -> MarginsState | None:
    if r.margins is None:
        return None
    per_frame = round_all(r.margins.per_frame, 5)
    return MarginsState(per_frame=per_frame, worst=r.margins.worst, worst_frame=r.margins.worst_frame)


def _metered(r: Review, readings: dict[int, list[float]]) -> list[LaneState]:
    """The light on the subject as the proof's frames show it, straight in between."""
    found = {n: values for n, values in sorted(readings.items()) if len(values) == len(Reading._fields)}
    if len(found) < LEAST_METERED:
        return []
    frames = r.poses.frames + r.project.shot.first_frame
    stops, burnt, black = (np.interp(frames, list(found), column) for column in zip(*found.values(), strict=True))
    return [
        _lane(r, "light", "light", "stops", stops - float(np.mean(stops)), LIGHT_RANGE),
        _lane(r, "burnt", "burnt out", "%", 100.0 * burnt, 100.0 * MOST_BURNT),
        _lane(r, "black", "black", "%", 100.0 * black),
    ]


def _lane(
    r: Review, key: str, title: str, unit: str, values: Any, limit: float | None = None, below: bool = False
) -> LaneState:
    at = int(values.argmin() if below else values.argmax())
    return LaneState(
        key=key,
        title=title,
        unit=unit,
        digits=1,
        values=_packed(values),
        limit=limit,
        below=below,
        worst=float(values[at]),
        worst_frame=int(r.poses.frames[at]) + r.project.shot.first_frame,
    )


def _lanes(r: Review) -> list[LaneState]:
    """Lanes of the strip, one of them shown at a time."""
    if r.margins is None or r.travel is None:
        return []
    travel, lane = r.travel, partial(_lane, r)
    size = max(r.subject.size_m) if r.subject else 1.0
    lanes = [
        lane("margin", "margin", "%", 100.0 * r.margins.per_frame, 0.0, below=True),
        lane("speed", "px/frame", "px/frame", travel.px, travel.most_px),
        lane("filled", "filled", "%", 100.0 * travel.filled),
        lane("camera", "camera", "m/s", travel.camera_m_s),
        lane("turn", "turns", "°/s", travel.turn_deg_s),
    ]
    formats = format_margins(r.project, travel, r.poses.frames)
    for kind in r.project.shot.formats:
        values = 100.0 * np.maximum(formats[kind.id], -0.5)
        lanes.append(lane(f"margin {kind.name}", f"margin {kind.name}", "%", values, 0.0, below=True))
    if r.blur_px is not None:
        lanes.append(lane("focus", "blur", "px", r.blur_px, FOCUS_LIMIT_PX))
    if r.obstacles is not None:
        if r.obstacles.hidden is not None:
            lanes.append(lane("hidden", "hidden", "%", 100.0 * r.obstacles.hidden, MOST_HIDDEN * 100.0))
        if np.isfinite(r.obstacles.room_m).all():
            lanes.append(
                lane("room", "room", "mm", 1000.0 * r.obstacles.room_m, 1000.0 * LEAST_ROOM * size, below=True)
            )
    return lanes


def _shot(r: Review) -> ShotState:
    project, shot, poses = r.project, r.project.shot, r.poses
    segment = shot.travelling.segments[0] if shot.travelling else None
    return ShotState(
        sentence=move_sentence(project),
        first=shot.first_frame,
        frames=shot.frames,
        rate=(project.rate_num, project.rate_den),
        seconds=shot.frames * project.rate_den / project.rate_num,
        timecode=timecode(shot.frames, FrameRate.of(project)),
        kind=segment.kind if segment else "hold",
        turns=segment.turns if segment else 0.0,
        plain=all(len(row.segments) == 1 and row.segments[0].kind in ("orbit", "spin", "hold") for row in shot.rows),
        gaps=[_gap(gap) for gap in gaps(project, shot)],
        keyed={channel.path: _keyed(project, channel, poses.frames) for channel in shot.channels},
        focal_mm=_packed(poses.focal_mm),
        lengths={row.id: lengths_of(row, shot.frames).tolist() for row in shot.rows},
        step=int(poses.frames[1] - poses.frames[0]) if len(poses) > 1 else 1,
        count=len(poses),
        cameras=_packed(_rows(poses.cameras)),
        disc_deg=_packed(poses.disc_deg),
        lights_deg=_packed(poses.lights_deg),
        acting=_acting(project, poses),
        carried={who: _packed(_rows(poses.carried(who, project.items))) for who in _own_carriages(project)},
    )


def _keyed(project: Project, channel: Channel, frames: Any) -> KeyedState:
    place, shot = place_of(channel.path), project.shot
    return KeyedState(
        id=channel.id,
        title=place.title,
        unit=place.unit,
        owner=_owner(project, channel.path),
        kind=place.kind,
        numbers=place.numbers,
        frames=[key.frame + shot.first_frame for key in channel.keys],
        ids=[key.id for key in channel.keys],
        goes=[key.goes for key in channel.keys],
        outside=channel.outside,
        in_use=is_in_use(shot, channel.path),
        values=_packed(values_at(channel, frames, shot.frames)),
        keys=[list(key.value) for key in channel.keys],
        handles=[[[t + shot.first_frame, v] for t, v in pair] for pair in handles_of(channel, shot.frames).tolist()],
    )


def _owner(project: Project, path: str) -> str:
    """Owner of a value: the innermost thing around it that has a name."""
    steps, name = path.split("/"), project.name
    for i in range(1, len(steps)):
        name = getattr(value_at(project, "/".join(steps[:i])), "name", name)
    return name


def _gap(gap: LoopGap) -> GapState:
    jump = f"{gap.jump:.3g} {gap.unit}".strip() if gap.jump else "no jump"
    return GapState(what=gap.what, where=gap.where, jump=jump, fixes=list(gap.fixes))


PATH_LINE = 160
"""Places by which the plan draws a path."""


def _path(path: Path) -> DrawnPath:
    line, _ = along(path, np.linspace(0.0, 1.0 - path.closed * 1e-12, PATH_LINE))
    metres = length_m(path)
    return DrawnPath(id=path.id, name=path.name, closed=path.closed, length=length(metres), line=_packed(line))


def _acting(project: Project, poses: Poses) -> dict[str, list[str]]:
    """Animation states in each pose, in the form in which the stand-in asks for its bending."""
    rate = FrameRate.of(project)
    each = {x.id: acting_at(x, project.shot, rate, poses.frames) for x in project.items if x.playing}
    said = ",".join
    return {who: [said(f"{n}:{s:.5f}:{w:.4f}" for n, s, w in one) for one in acting] for who, acting in each.items()}


def _own_carriages(project: Project) -> list[str]:
    """Carriers of items and lights besides the common ones: items that turn by themselves, the camera, the disc."""
    found = {carriage_of(item, project.shot, project.items) for item in project.items} - {DISC}
    found |= {light_carriage(project, light) for light in project.look.lights} - {WITH_RIG}
    return sorted(found - {STILL})


OUTLINE = 240
"""Corners of an item's hull by which the plan draws it."""


def _item(project: Project, item: Item, measures: Measures | None) -> ItemState:
    hull = np.zeros((0, 3)) if measures is None else extreme_points(shown_hull(measures, item), OUTLINE)
    shown = with_worn_colourway(item, project.shot)
    return ItemState(
        id=item.id,
        name=item.name,
        on=item.on,
        asset=item.asset,
        standin=standin_url(item),
        matrix=placement_matrix(item.placement).tolist(),
        carriage=carriage_of(item, project.shot, project.items),
        hull=near(hull, 5),
        variant=shown.variant_id,
        stands_on=stands_on(project, item),
    )


def standin_url(item: Item) -> str:
    """Address of the reduced mesh of an item."""
    if item.made is None:
        return f"/api/assets/{item.asset}/standin"
    return f"/api/made?{urlencode({'made': item.made.model_dump_json(exclude_defaults=True)})}"


def _subject(r: Review) -> SubjectState | None:
    if r.subject is None or r.project.subject is None:
        return None
    s = r.subject
    return SubjectState(
        animation_sentence=animation_sentence(r.project),
        size_m=s.size_m,
        size=box_size(s.size_m),
        gap=offset(s.gap_mm / 1000, max(s.size_m)),
        wobble={m: offset(mm / 1000, max(s.size_m)) for m, mm in s.wobble_mm.items()},
        stands_on=stands_on(r.project, r.project.subject),
        gap_mm=s.gap_mm,
        wobble_mm=s.wobble_mm,
        detail=detail_sentence(r),
        axis_lean_deg=s.axis_lean_deg,
        axis_residual=s.axis_residual,
    )


def pose_state(project: Project, frame: int) -> PoseState:
    """One frame's pose, for drawing while something is dragged."""
    poses = poses_at(project, project.shot, np.array([float(frame - project.shot.first_frame)]))
    return PoseState(
        camera=_rows(poses.cameras)[0].tolist(),
        disc_deg=float(poses.disc_deg[0]),
        lights_deg=float(poses.lights_deg[0]),
        acting={who: each[0] for who, each in _acting(project, poses).items()},
        carried={who: _rows(poses.carried(who, project.items))[0].tolist() for who in _own_carriages(project)},
        placements={x.id: placement_matrix(x.placement).tolist() for x in project.items},
        lens=lens_state(project, poses, 0),
        focal_mm=float(poses.focal_mm[0]),
        start_azimuth_deg=project.camera.azimuth_deg,
    )
