"""Camera moves of glTF files come in as keys, and stand where the file says."""

import base64
import json
import struct
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from cyclorama.core.commands.moves_in import with_camera_move
from cyclorama.core.errors import ChangeError, IntakeError
from cyclorama.core.framing import Projection
from cyclorama.core.geometry.read.gltf_moves import read_camera_move
from cyclorama.core.motion import poses_at
from cyclorama.core.motion.move_glb import move_glb
from cyclorama.core.scene import Project, Row, Segment, load_project, new_project, put_all

MOVES = {
    "arc and push": (Segment(id="a", kind="arc", by_deg=200), Segment(id="b", kind="push", by_m=0.8)),
    "pan and roll": (Segment(id="a", kind="pan", by_deg=60, tilt_deg=20), Segment(id="b", kind="roll", by_deg=250)),
    "orbits": (Segment(id="a", kind="orbit", turns=2.0),),
    "rise": (Segment(id="a", kind="rise", by_m=2.0, ease_in=0.3),),
}


def moving(name: str) -> Project:
    rows = (Row(id="camera", segments=MOVES[name]),)
    return put_all(new_project("In"), {"shot/frames": 30, "shot/rows": rows, "camera/distance_m": 2.5})


def kept(folder: Path, data: bytes, name: str = "move.glb") -> dict[str, Path]:
    path = folder / name
    path.write_bytes(data)
    return {name: path}


def exported(project: Project) -> bytes:
    return move_glb(project, float(Projection.of_project(project).half_h), 16 / 9)


@pytest.mark.parametrize("name", list(MOVES))
def test_exported_stock_comes_in_again(name: str, tmp_path: Path) -> None:
    project = moving(name)
    move = read_camera_move(kept(tmp_path, exported(project)), 24.0)
    assert len(move.places) == 30
    other = put_all(new_project("Other"), {"camera/focal_mm": 28.0, "camera/azimuth_deg": 77.0})
    taken = with_camera_move(other, move)
    assert load_project(taken.model_dump_json()) == taken
    assert taken.shot.frames == 30
    frames = np.arange(30.0)
    found, told = (poses_at(p, p.shot, frames).cameras for p in (taken, project))
    assert found == pytest.approx(told, abs=2e-5)
    between = np.arange(0, 29) + 0.5  # keys go the short way, round the back as well
    found, told = (poses_at(p, p.shot, between).cameras[:, :3, 3] for p in (taken, project))
    assert np.abs(found - told).max() < 0.15
    assert Projection.of_project(taken).half_h == pytest.approx(Projection.of_project(project).half_h, rel=1e-5)


def test_nodes_above_carry_the_camera_along(tmp_path: Path) -> None:
    """A camera on an arm that turns: by hand, with a scaled node between."""
    times, turns = np.float32([0, 1]), np.float32([[0, 0, 0, 1], [0, np.sin(np.pi / 4), 0, np.cos(np.pi / 4)]])
    binary = times.tobytes() + turns.tobytes()
    document = {
        "asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "scene": 0,
        "nodes": [{"children": [1], "translation": [0, 1, 0]}, {"children": [2], "scale": [2, 2, 2]},
                  {"camera": 0, "translation": [0, 0, 1.5], "name": "Arm"}],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.5, "znear": 0.1}}],
        "animations": [{"samplers": [{"input": 0, "output": 1}],
                        "channels": [{"sampler": 0, "target": {"node": 0, "path": "rotation"}}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 2, "type": "SCALAR", "min": [0], "max": [1]},
                      {"bufferView": 1, "componentType": 5126, "count": 2, "type": "VEC4"}],
        "bufferViews": [{"buffer": 0, "byteOffset": 0, "byteLength": 8},
                        {"buffer": 0, "byteOffset": 8, "byteLength": 32}],
        "buffers": [{"byteLength": len(binary),
                     "uri": "data:application/octet-stream;base64," + base64.b64encode(binary).decode()}],
    }  # fmt: skip
    move = read_camera_move(kept(tmp_path, json.dumps(document).encode(), "arm.gltf"), 24.0)
    assert (move.name, len(move.places)) == ("Arm", 25)
    for n in (0, 7, 24):
        turn = Rotation.from_rotvec([0, np.radians(90 * n / 24), 0]).as_matrix()
        assert move.places[n, :3, :3] == pytest.approx(turn, abs=1e-6)
        assert move.places[n, :3, 3] == pytest.approx(turn @ [0, 0, 3.0] + [0, 1, 0], abs=1e-6)
    document["animations"] = []
    still = read_camera_move(kept(tmp_path, json.dumps(document).encode(), "arm.gltf"), 24.0)
    taken = with_camera_move(new_project("Still"), still)
    assert (taken.shot.frames, taken.shot.channels) == (1, ())
    assert poses_at(taken, taken.shot, np.zeros(1)).cameras[0, :3, 3] == pytest.approx([0, 1, 3], abs=1e-6)


def test_files_without_a_move_are_told_and_change_nothing(tmp_path: Path) -> None:
    good = exported(moving("orbits"))
    size = struct.unpack("<I", good[12:16])[0]
    document = json.loads(good[20 : 20 + size])
    for change, said in (
        ({"cameras": [{"type": "orthographic", "orthographic": {}}]}, "no camera"),
        ({"accessors": []}, "cannot be read"),
        ({"nodes": [{"camera": 9}]}, "a node that is not in it"),
    ):
        text = json.dumps(document | change).encode()
        text += b" " * (-len(text) % 4)
        data = good[:12] + struct.pack("<I4s", len(text), b"JSON") + text + good[20 + size :]
        data = data[:8] + struct.pack("<I", len(data)) + data[12:]
        with pytest.raises(IntakeError, match=said):
            read_camera_move(kept(tmp_path, data), 24.0)
    with pytest.raises(IntakeError, match="something else"):
        read_camera_move(kept(tmp_path, b"solid x\nendsolid x\n", "x.stl"), 24.0)
    with pytest.raises(IntakeError):
        read_camera_move(kept(tmp_path, good[:200]), 24.0)
    down = read_camera_move(kept(tmp_path, good), 24.0)
    down.places[:, :3, :3] = Rotation.from_euler("x", -90, degrees=True).as_matrix()
    with pytest.raises(ChangeError, match="straight up or down"):
        with_camera_move(new_project("Down"), down)
