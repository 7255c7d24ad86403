"""Bending the reduced meshes that the browser draws."""

from functools import lru_cache

import numpy as np

from ..core.errors import NotFoundError
from ..core.geometry.cache_keys import rig_key, standin_source_key
from ..core.geometry.rig import Rig
from ..core.geometry.skeleton import AnimationState
from ..core.geometry.standin_file import packed_normals
from ..store import Studio


class Puppets:
    """Bends stand-ins; the rigs that were asked for last stay loaded."""

    def __init__(self, studio: Studio):
        self._assets = studio.assets
        self._rig = lru_cache(maxsize=2)(self._load)

    def _load(self, asset: str) -> tuple[Rig, np.ndarray]:
        source = np.frombuffer(self._assets.get(standin_source_key(asset)), np.int32)
        return Rig.from_bytes(self._assets.get(rig_key(asset))), source

    def pose(self, asset: str, acting: AnimationState) -> bytes:
        """Positions (v, 3) float32 and normals (v, 4) int8 of the stand-in, in the file's space."""
        rig, source = self._rig(asset)
        if any(number >= len(rig.skeleton.animations) for number, *_ in acting):
            raise NotFoundError("The subject has no such animation.")
        vertices, normals = rig.at(acting)
        return vertices[source].astype("<f4").tobytes() + packed_normals(normals[source]).tobytes()
