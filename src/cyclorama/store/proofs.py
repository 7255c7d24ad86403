"""Proofs: small quick frames of a shot, kept under what the shot shows, so that they are right or not there."""

import hashlib
import json
import shutil
from dataclasses import dataclass
from pathlib import Path

from ..core.scene import Project, ShootSettings
from ..core.scene.writing import derive
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
        """True when all frames, the sheet and the clip are there."""
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
        """Meter readings by frame: stops, burnt, black; none where they cannot be read."""
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


def proofs_of(folder: Path, project: Project) -> dict[str, Proof]:
    """The proofs of all shots of a project, by their ids, in a data folder."""
    common = hashlib.sha256(f"{project.rate_num}/{project.rate_den} {project.subject_id}".encode())
    for document in (*project.items, *project.materials, *project.paths, project.set):
        common.update(document.model_dump_json().encode())
    found = {}
    for shot in project.shots:
        size = ShootSettings(width=shot.shoot.width, height=shot.shoot.height)
        seen = derive(shot, name="", formats=(), shoot=size)
        digest = common.copy()
        for document in (project.look_of(shot), project.camera_of(shot), seen):
            digest.update(document.model_dump_json().encode())
        key = digest.hexdigest()[:16]
        found[shot.id] = Proof(key, folder / FOLDER / f"{project.id}.{shot.id}.{key}")
    return found
