"""What a lens sees."""

from ..scene import Camera
from ..scene.camera import SENSOR_LONG_SIDE_MM


def half_extent(camera: Camera, width: int, height: int) -> tuple[float, float]:
    """Tangents of half the horizontal and vertical field of view for a frame of width × height pixels."""
    scale = SENSOR_LONG_SIDE_MM / (2.0 * camera.focal_mm * max(width, height))
    return scale * width, scale * height
