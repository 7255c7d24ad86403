"""Cyclorama: a photo studio in a browser; from Python see `scripting`."""

from typing import TYPE_CHECKING, Any

from .version import PROGRAM_VERSION as __version__

if TYPE_CHECKING:
    from .core.errors import CycloramaError as Error
    from .scripting import StudioHandle as Studio

__all__ = ["Error", "Studio", "__version__"]


def __getattr__(name: str) -> Any:
    """Names for scripts, loaded when they are asked for: the program itself starts without them."""
    if name == "Studio":
        from .scripting import StudioHandle

        return StudioHandle
    if name == "Error":
        from .core.errors import CycloramaError

        return CycloramaError
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
