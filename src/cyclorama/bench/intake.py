"""Time and memory of an intake, by size and format."""

import multiprocessing
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path

import numpy as np

from ..core.geometry.build import arc, lathe
from ..core.geometry.mesh import Mesh
from ..core.render.trace.embree import Structure
from ..demo.glb import GlbWriter


def _ball(triangles: int) -> Mesh:
    """A ball of about so many triangles."""
    rows = max(int((triangles / 4) ** 0.5), 4)
    return lathe(arc(0, 0, 0.1, 90, -90, rows)[1:-1], 2 * rows)


def _glb(mesh: Mesh, parts: int = 1) -> bytes:
    writer = GlbWriter()
    material = writer.material("Shell")
    for i in range(parts):
        writer.part(f"Ball {i + 1}", mesh, material)
    return writer.to_bytes()


def _obj(mesh: Mesh) -> bytes:
    corners = mesh.triangles + 1
    lines = [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in mesh.vertices.tolist()]
    return "\n".join([*lines, *(f"f {a} {b} {c}" for a, b, c in corners.tolist()), ""]).encode()


def _ply(mesh: Mesh) -> bytes:
    head = (
        f"ply\nformat binary_little_endian 1.0\nelement vertex {len(mesh.vertices)}\nproperty float x\n"
        f"property float y\nproperty float z\nelement face {len(mesh.triangles)}\n"
        "property list uchar int vertex_indices\nend_header\n"
    )
    faces = np.zeros(len(mesh.triangles), [("n", "u1"), ("v", "<i4", 3)])
    faces["n"], faces["v"] = 3, mesh.triangles
    return head.encode() + mesh.vertices.astype("<f4").tobytes() + faces.tobytes()


def _stl(mesh: Mesh) -> bytes:
    rows = np.zeros(len(mesh.triangles), [("n", "<f4", 3), ("v", "<f4", (3, 3)), ("more", "<u2")])
    rows["v"] = mesh.vertices[mesh.triangles]
    return bytes(80) + len(rows).to_bytes(4, "little") + rows.tobytes()


def _in_child(connection: Connection, name: str, data: bytes) -> None:
    from .core.geometry.intake import take_in

    take_in({"warm.glb": _glb(_ball(1000))})  # loads the kernels
    Path("/proc/self/clear_refs").write_text("5")  # the peak begins anew
    before, begun = _peak(), time.perf_counter()
    take_in({name: data})
    connection.send((time.perf_counter() - begun, _peak() - before))


def _peak() -> int:
    """The most memory this process has had, bytes."""
    line = next(x for x in Path("/proc/self/status").read_text().splitlines() if x.startswith("VmHWM"))
    return int(line.split()[1]) * 1024


def _intake(name: str, data: bytes) -> tuple[float, int]:
    """Seconds, and how much memory the process grew by."""
    context = multiprocessing.get_context("spawn")
    here, there = context.Pipe(duplex=False)
    child = context.Process(target=_in_child, args=(there, name, data))
    child.start()
    there.close()
    result: tuple[float, int] = here.recv()
    child.join()
    return result


def run_intake(tell: Callable[[str], None]) -> None:
    """A table: format, triangles, seconds, the same over Embree's build, memory over the bytes of the mesh's arrays."""
    tell("format       triangles  parts   seconds   over Embree's build   memory over arrays")
    for triangles in (250_000, 1_000_000):
        mesh = _ball(triangles)
        begun = time.perf_counter()
        Structure(mesh.vertices, mesh.triangles)
        build = time.perf_counter() - begun
        arrays = sum(a.nbytes for a in (mesh.vertices, mesh.normals, mesh.uvs, mesh.triangles))
        files = {"a.glb": _glb(mesh), "a.ply": _ply(mesh), "a.stl": _stl(mesh), "a.obj": _obj(mesh)}
        for name, data in files.items():
            seconds, memory = _intake(name, data)
            tell(
                f"{name[2:].upper():<12} {len(mesh.triangles):>9}  {1:>5}   {seconds:7.1f}   "
                f"{seconds / build:19.1f}   {memory / arrays:18.1f}"
            )
    small = _ball(100)
    for parts in (1_000, 10_000):
        seconds, _ = _intake("a.glb", _glb(small, parts))
        tell(f"{'GLB':<12} {parts * len(small.triangles):>9}  {parts:>5}   {seconds:7.1f}")
