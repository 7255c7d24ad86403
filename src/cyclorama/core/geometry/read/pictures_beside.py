"""Pictures that a model refers to and that lie beside it."""

from collections.abc import Callable

from .files import FileBundle
from .model import FileModel
from .names import label


class PicturesBeside:
    """Pictures of one model by the paths that it refers to them by; each is kept once, a missing one is noted."""

    def __init__(self, file: str, bundle: FileBundle, model: FileModel):
        self._file, self._bundle, self._model = file, bundle, model
        self._taken: dict[str, str | None] = {}

    @staticmethod
    def title(path: str) -> str:
        """Name of the file at the end of a path."""
        return label(path.replace("\\", "/").rsplit("/", 1)[-1], "picture")

    def take(self, path: str, find: Callable[[], bytes | None] = lambda: None) -> str | None:
        """The reference of a picture for maps, None when it is missing. find: looks for it elsewhere first."""
        if path not in self._taken:
            data = find() or self._bundle.beside(self._file, path)
            if data is None:
                self._model.missing.append(f"Texture ‘{self.title(path)}’")
            self._taken[path] = None if data is None else self._model.keep_picture(self.title(path), data)
        return self._taken[path]
