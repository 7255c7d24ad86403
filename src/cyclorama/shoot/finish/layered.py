"""Layered EXR frames of a take: its master and every pass, as they were shot, in one file a frame."""

import numpy as np

from ...core.delivery.layered_exr import as_layer, frame_header
from ...core.motion import moment
from ...core.motion.frames import FrameRate
from ...core.picture.exr import encode_channels
from ...store import TakeRecord
from ..frames.files import file_path, master_name
from ..frames.pass_files import exact_channels_of, linear_of


def layered_frame(take: TakeRecord, number: int) -> bytes:
    """A frame's light and passes as one EXR, scene-linear and without a grade.

    Raises ShootError for a file that is gone or damaged.
    """
    project, s = take.project, take.project.shot.shoot
    here, rate = moment(project, number), FrameRate.of(project)
    look, worn = project.look.name, project.subject.variant.name if project.subject else "no colourway"
    comments = f"{project.name}, shot {project.shot.name}, look {look}, {worn}"
    channels, _ = exact_channels_of(take, master_name(take), number)
    attributes = frame_header(here, rate, take.name, comments)
    for name in s.passes.wanted:
        if file_path(take, name, number).suffix != ".exr":
            planes = linear_of(take, name, number).astype(np.float16)
            channels |= {f"{name}.{c}": planes[..., i] for i, c in enumerate("RGB")}
            continue
        layer, header = exact_channels_of(take, name, number)
        if name == "lights":
            layer.pop("A", None)  # the picture has the same
        channels |= as_layer(name, layer)
        attributes |= {key: value for key, value in header.items() if key.startswith("cryptomatte/")}
    return encode_channels({key: np.ascontiguousarray(plane) for key, plane in channels.items()}, attributes)
