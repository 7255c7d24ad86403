"""Ray queries by Embree 4 through its C interface, asked from kernels without Python in between.

The library comes with the embreex package. Vertices and triangles are shared with it, not copied. Structures are
built watertight (RTC_SCENE_FLAG_ROBUST): without it rays slip through shared edges.
"""

import ctypes
import threading
from collections.abc import Sequence
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import llvmlite.binding
import numpy as np
from numba import types
from numba.extending import intrinsic

from ...errors import CycloramaError
from .arrays import F32, I32

_TRIANGLES, _COPIES, _INDEX, _VERTEX, _POSE, _UINT3, _FLOAT3, _FLOAT3X4, _ROBUST = (
    0, 122, 0, 1, 23, 0x5003, 0x9003, 0x9234, 1 << 2,
)  # fmt: skip
"""RTC_GEOMETRY_TYPE_TRIANGLE and …_INSTANCE_ARRAY, RTC_BUFFER_TYPE_INDEX, …_VERTEX and …_TRANSFORM, RTC_FORMAT_UINT3,
…_FLOAT3 and …_FLOAT3X4_COLUMN_MAJOR, RTC_SCENE_FLAG_ROBUST of embree4/rtcore*.h."""


def _library() -> Path:
    spec = find_spec("embreex")
    if spec is not None and spec.origin is not None:
        package = Path(spec.origin).parent
        for folder in (package.parent / "embreex.libs", package / ".dylibs", package):
            for path in sorted(folder.glob("*embree4*")):
                return path
    raise CycloramaError("Embree is not installed completely. Install Cyclorama's requirements again.")


llvmlite.binding.load_library_permanently(str(_library()))
_lib = ctypes.CDLL(str(_library()))
_P, _U, _Z = ctypes.c_void_p, ctypes.c_uint, ctypes.c_size_t
for _name, _result, _arguments in (
    ("rtcNewDevice", _P, (ctypes.c_char_p,)),
    ("rtcGetDeviceError", _U, (_P,)),
    ("rtcNewScene", _P, (_P,)),
    ("rtcSetSceneFlags", None, (_P, _U)),
    ("rtcNewGeometry", _P, (_P, _U)),
    ("rtcSetSharedGeometryBuffer", None, (_P, _U, _U, _U, _P, _Z, _Z, _Z)),
    ("rtcSetGeometryTimeStepCount", None, (_P, _U)),
    ("rtcSetGeometryInstancedScene", None, (_P, _P)),
    ("rtcCommitGeometry", None, (_P,)),
    ("rtcAttachGeometry", _U, (_P, _P)),
    ("rtcReleaseGeometry", None, (_P,)),
    ("rtcCommitScene", None, (_P,)),
    ("rtcReleaseScene", None, (_P,)),
):
    _function = getattr(_lib, _name)
    _function.restype, _function.argtypes = _result, _arguments

_device_lock = threading.Lock()
_device: list[int] = []


POSE_BYTES = 48
"""Bytes of a copy's pose."""


def _shared_device() -> int:
    with _device_lock:
        if not _device:
            _device.append(_lib.rtcNewDevice(b""))
    return _device[0]


class Structure:
    """Ray tracing structure: triangles of one body, and copies of prototypes that stand in it."""

    def __init__(self, vertices: F32, triangles: I32, copies: "Sequence[tuple[Structure, F32]]" = ()):
        """Build for vertices (n, 3), or (k, n, 3) at even times of the shutter, and triangles (m, 3).

        copies: the structure of each prototype, and the poses (n, 12) of its copies (see `arrays.Bodies`).
        Raises CycloramaError when memory runs out.
        """
        device = _shared_device()
        # the library reads 16 bytes at the last vertex
        steps = vertices.reshape(-1, *vertices.shape[-2:])
        self._vertices = np.zeros((len(steps), steps.shape[1] + 1, 3), np.float32)
        self._vertices[:, :-1] = steps
        self._triangles = np.ascontiguousarray(triangles, np.uint32)
        self.handle = np.uint64(_lib.rtcNewScene(device))
        _lib.rtcSetSceneFlags(int(self.handle), _ROBUST)
        geometry = _lib.rtcNewGeometry(device, _TRIANGLES)
        _lib.rtcSetGeometryTimeStepCount(geometry, len(steps))
        share = _lib.rtcSetSharedGeometryBuffer
        share(geometry, _INDEX, 0, _UINT3, self._triangles.ctypes.data, 0, 12, len(triangles))
        for k, step in enumerate(self._vertices):
            share(geometry, _VERTEX, k, _FLOAT3, step.ctypes.data, 0, 12, steps.shape[1])
        self._attach(geometry)
        self._copies = list(copies)
        for prototype, poses in copies:
            geometry = _lib.rtcNewGeometry(device, _COPIES)
            _lib.rtcSetGeometryInstancedScene(geometry, int(prototype.handle))
            share(geometry, _POSE, 0, _FLOAT3X4, poses.ctypes.data, 0, POSE_BYTES, len(poses))
            self._attach(geometry)
        _lib.rtcCommitScene(int(self.handle))
        if _lib.rtcGetDeviceError(device):
            raise CycloramaError("There is not enough memory for a subject of this size. Reduce it and try again.")

    def _attach(self, geometry: int) -> None:
        """Let rays meet a geometry; they are numbered in the order in which they come."""
        _lib.rtcCommitGeometry(geometry)
        _lib.rtcAttachGeometry(int(self.handle), geometry)
        _lib.rtcReleaseGeometry(geometry)

    def __del__(self) -> None:
        if hasattr(self, "handle"):
            _lib.rtcReleaseScene(int(self.handle))


@intrinsic
def pointer(typing_context: Any, address: Any) -> Any:
    """A number as an address, for calling into the library."""

    def build(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return builder.inttoptr(arguments[0], context.get_value_type(types.voidptr))

    return types.voidptr(types.uint64), build


_QUERY = types.void(types.voidptr, types.voidptr, types.voidptr)
intersect1 = types.ExternalFunction("rtcIntersect1", _QUERY)
occluded1 = types.ExternalFunction("rtcOccluded1", _QUERY)

RAY_ORIGIN, RAY_NEAR, RAY_DIRECTION, RAY_TIME, RAY_FAR, RAY_MASK, RAY_ID, RAY_FLAGS = 0, 3, 4, 7, 8, 9, 10, 11
HIT_U, HIT_V, HIT_TRIANGLE, HIT_GEOMETRY, HIT_PROTOTYPE, HIT_COPY = 15, 16, 17, 18, 19, 20
"""Words of struct RTCRayHit (embree4/rtcore_ray.h)."""
NOTHING = 0xFFFFFFFF
