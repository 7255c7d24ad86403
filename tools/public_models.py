"""Bring public test models in and compare them with an independent reader; not part of the tests.

    python tools/public_models.py [FOLDER]

Without a folder, models come from Debian's package of test models, which apt downloads and nothing installs. Every file
is brought in with everything beside it. The table tells how each came in, or the sentence it was refused with; and,
where the independent reader gives triangles too, by how much area and box differ.
"""

import subprocess
import sys
import tempfile
import warnings
from pathlib import Path

import numpy as np
import trimesh

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh, face_normals
from cyclorama.core.geometry.read.files import MODEL_ENDINGS
from cyclorama.core.words import count

PACKAGE = "assimp-testmodels"
MOST_BYTES = 200 << 20
ALIKE = 1e-3


def unpacked_package(folder: Path) -> Path:
    """The files of the package below a folder."""
    subprocess.run(["apt-get", "download", PACKAGE], cwd=folder, check=True, capture_output=True)
    (archive,) = folder.glob("*.deb")
    subprocess.run(["dpkg-deb", "-x", archive.name, "."], cwd=folder, check=True)
    return folder


def with_what_lies_beside(path: Path) -> dict[str, bytes]:
    """A model and the other files of its folder and those below, but no other model."""
    files = {path.name: path.read_bytes()}
    for other in path.parent.rglob("*"):
        model = other.suffix.lower() in (*MODEL_ENDINGS, ".zip")
        if other.is_file() and not model and sum(map(len, files.values())) < MOST_BYTES:
            files[other.relative_to(path.parent).as_posix()] = other.read_bytes()
    return files


def compared(path: Path, mesh: Mesh) -> str:
    """How a mesh differs from what the other reader makes of the file."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            other = trimesh.load_scene(path).to_mesh()
    except Exception as error:  # whatever keeps the other reader from it
        return f"other reader: {type(error).__name__}"
    if not len(getattr(other, "faces", ())):
        return "other reader: no triangles"
    area = float(np.linalg.norm(face_normals(mesh.vertices, mesh.triangles), axis=1).sum() / 2)
    used = mesh.vertices[np.unique(mesh.triangles)]
    theirs = other.vertices[np.unique(other.faces)]
    box = np.abs(np.ptp(used, axis=0) - np.ptp(theirs, axis=0)).max() / max(float(np.ptp(theirs, axis=0).max()), 1e-30)
    off = abs(area / max(float(other.area), 1e-30) - 1)
    alike = off < ALIKE and box < ALIKE
    return "alike" if alike else f"area {off:+.2%}, box {box:.2%} of theirs"


def main() -> None:
    """Go through all models and print the table."""
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(sys.argv[1]) if len(sys.argv) > 1 else unpacked_package(Path(scratch))
        came, refused = 0, 0
        for path in sorted(p for p in folder.rglob("*") if p.suffix.lower() in MODEL_ENDINGS):
            name = path.relative_to(folder).as_posix()[-60:]
            try:
                intake = take_in(with_what_lies_beside(path))
            except IntakeError as error:
                refused += 1
                print(f"{name:60}  refused: {error.sentence}")
                continue
            came += 1
            mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
            print(f"{name:60}  {count(len(mesh.triangles), 'triangle')}, {compared(path, mesh)}")
        print(f"{came} came in, {refused} were refused.")


if __name__ == "__main__":
    main()
