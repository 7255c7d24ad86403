"""Cyclorama: a photo studio in a browser; from Python see `scripting`."""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .core.errors import CycloramaError as Error
    from .scripting import StudioHandle as Studio

__version__ = "0.1.0"
__all__ = ["Error", "Studio", "__version__"]


def __getattr__(name: str) -> Any:
    """What scripts use is loaded when it is asked for: the program itself starts without it."""
    if name == "Studio":
        from .scripting import StudioHandle

        return StudioHandle
    if name == "Error":
        from .core.errors import CycloramaError

        return CycloramaError
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
