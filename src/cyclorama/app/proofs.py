"""Proofs of shots, made in the background: frames coarse in time first, then between; a contact sheet and a clip."""

import io
import time
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from pydantic import BaseModel

from ..core.delivery.encode import encode_mp4
from ..core.framing import View, frame_margins
from ..core.geometry.copies import shown_hull
from ..core.motion import FrameRate, moment
from ..core.picture.contact import contact_sheet
from ..core.render.film.proof import proof_of
from ..core.scene import Project, Shot, put
from ..store import Studio
from ..store.assets import write_whole
from ..store.jobs import Job, Result
from ..store.proofs import Proof, proofs_of
from .jobs import JobContext, JobRunner, Kind, Unwanted
from .lens import Lens

FAULT = "The proof could not be made; the terminal that runs Cyclorama tells more."


ON_TWOS, MOST = 48, 240
"""Shots of more frames are proofed on every second one; and no more than MOST frames of any."""


SHEET_FRAMES, SHEET_COLUMNS = 24, 4


QUALITY = 88


HELD_S, LENS_S = 3.0, 0.35
"""So long frames are made one after the other, and so long the lens may show something in between."""


class Sitting(BaseModel):
    """Request for a proof."""

    project_id: str
    key: str


def proof_numbers(shot: Shot) -> list[int]:
    """The frames of a shot that are proofed, in their order."""
    step = 1 if shot.frames <= ON_TWOS else max(2, -(-shot.frames // MOST))
    return list(shot.all_frames[::step])


def coarse_first(numbers: list[int]) -> list[int]:
    """The same numbers, so that the whole of a move is seen early: every 16th, then between."""
    found: dict[int, None] = {}
    for stride in (16, 8, 4, 2, 1):
        found |= dict.fromkeys(numbers[::stride])
    return list(found)


def proof_kind(studio: Studio, lens: Lens) -> Kind:
    """Job kind that makes proofs: one at a time."""
    return Kind(lambda job, hand: _make(studio, lens, job, hand), FAULT, at_once=1)


def _make(studio: Studio, lens: Lens, job: Job, hand: JobContext) -> Result:
    spec = Sitting.model_validate_json(job.spec)
    while not lens.ready.wait(0.5):
        hand.tell(lens.preparing, 0.0)
    project, version, proof = _as_asked(studio, spec)
    proof.make_room()
    numbers, readings = proof_numbers(project.shot), proof.readings()
    left = [n for n in coarse_first(numbers) if n not in readings or not proof.frame(n).exists()]
    while left:
        with lens.borrowed() as (compiler, tracer):
            until = time.monotonic() + HELD_S
            while left and time.monotonic() < until:
                n = left.pop(0)
                hand.tell(f"Frame {n}", 1.0 - (len(left) + 1) / (len(numbers) * 1.05))
                if studio.projects.version(spec.project_id) != version:
                    project, version, proof = _as_asked(studio, spec)  # it may show the same
                picture, reading = proof_of(moment(project, n), compiler, tracer)
                write_whole(proof.frame(n), _jpeg(picture))
                readings[n] = list(reading) if reading else []
        proof.keep_readings(readings)
        time.sleep(LENS_S)
    hand.tell("Contact sheet and clip", 0.97)
    _sheet(studio, project, proof, numbers)
    rate = FrameRate.of(project).fraction / Fraction(numbers[1] - numbers[0] if len(numbers) > 1 else 1)
    encode_mp4([(f"Frame {n}", proof.frame(n).read_bytes) for n in numbers], rate, proof.clip)
    proof.finish()
    return {"key": proof.key}


def _as_asked(studio: Studio, spec: Sitting) -> tuple[Project, int, Proof]:
    """The project with the shot opened that is proofed, its version, and the proof. Raises Unwanted when no shot of it
    shows that any more."""
    saved = studio.projects.get(spec.project_id)
    for shot, proof in proofs_of(studio.folder, saved.project).items():
        if proof.key == spec.key:
            return put(saved.project, "shot_id", shot), saved.version, proof
    raise Unwanted


def _jpeg(picture: NDArray[np.uint8]) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(picture).save(buffer, "JPEG", quality=QUALITY)
    return buffer.getvalue()


def _sheet(studio: Studio, project: Project, proof: Proof, numbers: list[int]) -> None:
    some = numbers[:: max(1, -(-len(numbers) // SHEET_FRAMES))]
    margins: dict[int, float] = {}
    if project.subject is not None and (measures := studio.measures(project.subject)) is not None:
        found = frame_margins(View.of(project), shown_hull(measures, project.subject))
        margins = dict(zip(found.view.frames.tolist(), found.per_frame.tolist(), strict=True))
    words = [f"{margins[n]:.1%}" if n in margins else "" for n in some]
    pictures = [Image.open(proof.frame(n), formats=("JPEG",)) for n in some]
    captions = [(str(n), word) for n, word in zip(some, words, strict=True)]
    buffer = io.BytesIO()
    contact_sheet(pictures, captions, min(SHEET_COLUMNS, len(some))).save(buffer, "PNG")
    write_whole(proof.sheet, buffer.getvalue())


def ask_for_proof(work: JobRunner, project: Project, proof: Proof) -> Job:
    """Have the open shot proofed."""
    spec = Sitting(project_id=project.id, key=proof.key)
    return work.ask("proof", proof.key, f"Proof of {project.shot.name}", spec)
