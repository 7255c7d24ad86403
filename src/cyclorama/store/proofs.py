"""Proofs: small quick frames of a shot, kept under what the shot shows, so that they are right or not there."""

import hashlib
import json
import shutil
from dataclasses import dataclass
from pathlib import Path

from ..core.scene import Project, Shot
from .assets import write_whole

FOLDER = "proofs"
_READINGS, _WHOLE = "readings.json", "whole"
Numbers = list[float]


@dataclass(frozen=True, slots=True)
class Proof:
    """The proof of one shot as it stands, which may not be there yet."""

    key: str
    """a fingerprint of everything that the shot shows"""
    folder: Path

    @property
    def numbers(self) -> list[int]:
        """The frames that are there."""
        return sorted(int(path.stem) for path in self.folder.glob("[0-9]*.jpg"))

    @property
    def whole(self) -> bool:
        """Whether all frames, the sheet and the clip are there."""
        return (self.folder / _WHOLE).exists()

    @property
    def sheet(self) -> Path:
        return self.folder / "contact-sheet.png"

    @property
    def clip(self) -> Path:
        return self.folder / "proof.mp4"

    def frame(self, number: int) -> Path:
        return self.folder / f"{number:06d}.jpg"

    def readings(self) -> dict[int, Numbers]:
        """What was metered, by frame: stops, burnt, black; nothing where it cannot be read."""
        try:
            return {int(n): values for n, values in json.loads((self.folder / _READINGS).read_text()).items()}
        except (OSError, ValueError, AttributeError):
            return {}

    def keep_readings(self, readings: dict[int, Numbers]) -> None:
        write_whole(self.folder / _READINGS, json.dumps(readings).encode())

    def finish(self) -> None:
        """All is there."""
        write_whole(self.folder / _WHOLE, b"")

    def make_room(self) -> None:
        """Make its folder, and remove proofs of what the shot showed before."""
        self.folder.mkdir(parents=True, exist_ok=True)
        stem = self.folder.name.rpartition(".")[0]
        for old in self.folder.parent.glob(f"{stem}.*"):
            if old != self.folder:
                shutil.rmtree(old, ignore_errors=True)


def proof_of_shot(folder: Path, project: Project, shot: Shot | None = None) -> Proof:
    """The proof of a shot of a project, the open one unless another is told, in a data folder."""
    shot = shot or project.shot
    shoot = shot.shoot
    seen = (
        *project.items, *project.materials, *project.paths, project.set, project.look_of(shot), project.camera_of(shot),
        shot.model_copy(
            update={"name": "", "formats": (), "shoot": type(shoot)(width=shoot.width, height=shoot.height)}
        ),
    )  # fmt: skip
    digest = hashlib.sha256(f"{project.rate_num}/{project.rate_den} {project.subject_id}".encode())
    for document in seen:
        digest.update(document.model_dump_json().encode())
    key = digest.hexdigest()[:16]
    return Proof(key, folder / FOLDER / f"{project.id}.{shot.id}.{key}")
