"""The environments that the program makes, kept as files of the studio."""

import threading

from ..core.geometry.cache_keys import content_hash
from ..core.light.studio_environments import STUDIOS, StudioKind, studio_picture
from ..core.picture.exr import encode_exr
from ..store import Studio


class MadeEnvironments:
    """The environments that the program makes, as files of a studio; each is made when it is first wanted."""

    def __init__(self, studio: Studio):
        self._studio = studio
        self._keys: dict[StudioKind, str] = {}
        self._making = threading.Lock()

    def assets(self) -> dict[StudioKind, str]:
        """Their files by what they are; made again where they were tidied away."""
        assets = self._studio.assets
        with self._making:
            for kind in STUDIOS:
                if kind not in self._keys or not assets.has(self._keys[kind]):
                    data = encode_exr(studio_picture(kind))
                    self._keys[kind] = content_hash(data)
                    assets.put(self._keys[kind], data)
            return dict(self._keys)
