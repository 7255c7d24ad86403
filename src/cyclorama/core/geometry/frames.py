"""Spaces that what lies on an item is told in: its own, and those of projections and decals within it."""

import numpy as np
import scipy

from ..scene import Placement
from ..scene.surface_layer import Decal

Frame = tuple[float, ...]
"""Three rows of four: a matrix that leads into a space."""
NO_FRAME: Frame = (1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0)


def decal_frame(decal: Decal, frame: Frame) -> Frame:
    """From the space of an item's parts into that of a decal, which faces along its third axis."""
    at = decal.at_x_m, decal.at_y_m, decal.at_z_m
    return standing_in(frame, at, decal.azimuth_deg, decal.elevation_deg, decal.rotation_deg)


def standing_in(
    frame: Frame, at: tuple[float, float, float], turn_deg: float, tip_deg: float, roll_deg: float
) -> Frame:
    """A frame that stands at a place of another, turned about the upright axis, tipped up, and rolled."""
    if not (any(at) or turn_deg or tip_deg or roll_deg):
        return frame
    turns = [turn_deg, -tip_deg, roll_deg]
    turned = scipy.spatial.transform.Rotation.from_euler("YXZ", turns, degrees=True).as_matrix()
    m = np.array(frame).reshape(3, 4)
    m = np.column_stack([m[:, :3], m[:, 3] - np.array(at)])
    return tuple(float(x) for x in (turned.T @ m).ravel())


def item_frame(placement: Placement) -> Frame:
    """From the studio at rest into an item's own space: from where it stands, before it was turned; so what lies on it
    stays there wherever it is put."""
    if not (placement.x_m or placement.lift_m or placement.z_m or placement.turn_deg):
        return NO_FRAME
    turned = scipy.spatial.transform.Rotation.from_euler("Y", placement.turn_deg, degrees=True).as_matrix().T
    back = turned @ -np.array([placement.x_m, placement.lift_m, placement.z_m])
    return tuple(float(x) for x in np.column_stack([turned, back]).ravel())
