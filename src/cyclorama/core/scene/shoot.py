"""What to shoot: size, range, samples, files."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Doc, Unit01, quantity

PICTURE_EXTENSIONS = {"png": "png", "jpeg": "jpg", "exr": "exr"}


class ShootSettings(Doc):
    """How the current shot is rendered and where its frames go."""

    width: Annotated[int, quantity("Width", "px", ge=16, le=8192)] = 1280
    height: Annotated[int, quantity("Height", "px", ge=16, le=8192)] = 720
    from_frame: Annotated[int | None, Field(title="From frame", ge=0)] = None
    to_frame: Annotated[int | None, Field(title="To frame", ge=0)] = None
    samples: Annotated[int, quantity("Samples", "per pixel", ge=1, le=16384)] = 128
    denoise: bool = True
    file_format: Literal["png", "jpeg", "exr"] = "png"
    name_pattern: Annotated[str, Field(title="File name", min_length=1, max_length=80, pattern=r"^[\w{}. -]+$")] = (
        "{project}_{move}"
    )
    padding: Annotated[int, quantity("Padding", "digits", ge=1, le=8)] = 4
    transparent: bool = False
    margin: Annotated[Unit01, Field(title="Margin", le=0.45)] = 0.08
    """Share of the frame that fitting keeps free at each edge."""
