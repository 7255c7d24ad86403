"""Curves and points of USD (UsdGeomBasisCurves, UsdGeomPoints) as round strands and balls."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Usd, UsdGeom

from ...errors import IntakeError
from ...scene import Material
from ...words import count, number
from ..strands import (
    CURVE_PIECES,
    MOST_STRAND_POINTS,
    Polylines,
    build_strands,
    curves_to_lines,
    thin_lines,
    wrap_curves,
)
from .clouds import point_part
from .corners import from_top
from .model import FileModel, ModelPart
from .names import label

F64 = NDArray[np.float64]
I64 = NDArray[np.int64]
USUAL_WIDTH = 1e-3
"""Width of curves and points without widths, as a share of the size of the whole."""
HAIR_IOR = 1.55


def strands_of(prim: Usd.Prim, model: FileModel, bare: bool) -> ModelPart | None:
    """A part of all curves of a prim; None where it has none. bare: it has the colours of the prim."""
    curves, title = UsdGeom.BasisCurves(prim), label(prim.GetName(), "Strands")
    points = _values(curves.GetPointsAttr(), 3)
    counts = np.array(curves.GetCurveVertexCountsAttr().Get() or (), np.int64)
    if not len(counts) or not len(points):
        return None
    if counts.min() < 0 or int(counts.sum()) != len(points):
        raise IntakeError(f"‘{title}’ refers to points that are not there; it is damaged. Export it again.")
    basis = "linear" if curves.GetTypeAttr().Get() == "linear" else str(curves.GetBasisAttr().Get() or "bezier")
    if basis not in ("linear", "bezier", "bspline", "catmullRom"):
        model.notes.append(f"‘{title}’ has curves of another kind ({basis[:20]}) and is left out.")
        return None
    widths, how = _values(curves.GetWidthsAttr(), 1)[:, 0], str(curves.GetWidthsInterpolation())
    vertex_widths = len(widths) == len(points) and how in ("vertex", "varying")
    per_point = widths if vertex_widths else np.zeros(len(points))
    values, wrapped = wrap_curves(
        np.column_stack([points, per_point]), counts, basis, str(curves.GetWrapAttr().Get() or "nonperiodic")
    )
    values, lengths = curves_to_lines(values, wrapped, basis)
    which = np.flatnonzero(lengths)
    if not len(which):
        model.notes.append(f"‘{title}’ has no curve of enough points and is left out.")
        return None
    lengths = lengths[which]
    if not vertex_widths:
        size = float(np.ptp(points, axis=0).max())
        values[:, 3] = _widths(widths, how, which, len(counts), lengths, size, basis)
    lines, kept = thin_lines(Polylines(values[:, :3], values[:, 3] / 2, lengths), MOST_STRAND_POINTS)
    if len(kept) < len(which):
        of = count(len(which), "strand")
        model.notes.append(f"Of the {of} of ‘{title}’, {number(len(kept))} stand, as thicker ones.")
    strands = build_strands(lines)
    part = ModelPart(title, strands.vertices, strands.triangles, normals=strands.normals, more_uvs=strands.along)
    own = which[kept][strands.line]
    roots = _uniform(prim, "st", len(counts))
    part.uvs = strands.along if roots is None else from_top(roots[own, 0], roots[own, 1])
    if bare and (colours := _uniform(prim, "displayColor", len(counts))) is not None:
        part.colours = np.column_stack([colours[own], np.ones(len(own))]).astype(np.float32).clip(0, 1)
    return part


def _widths(widths: F64, how: str, which: I64, curves: int, lengths: I64, size: float, basis: str) -> F64:
    """Width of each point of lines."""
    if how == "uniform" and len(widths) == curves:
        return np.repeat(widths[which], lengths)
    ends = (lengths - 1) // CURVE_PIECES + 1
    if how == "varying" and basis != "linear" and len(widths) == int(ends.sum()):
        starts, at = np.cumsum(ends) - ends, np.arange(int(lengths.sum()))
        line = np.repeat(np.arange(len(lengths)), lengths)
        within = at - np.repeat(np.cumsum(lengths) - lengths, lengths)
        first = starts[line] + np.minimum(within // CURVE_PIECES, ends[line] - 1)
        second = starts[line] + np.minimum(within // CURVE_PIECES + 1, ends[line] - 1)
        share = within % CURVE_PIECES / CURVE_PIECES
        return np.asarray(widths[first] * (1 - share) + widths[second] * share)
    return np.full(int(lengths.sum()), float(widths[0]) if len(widths) else USUAL_WIDTH * size)


def balls_of(prim: Usd.Prim, model: FileModel, bare: bool) -> ModelPart | None:
    """A part of balls round all points of a prim; None where it has none."""
    cloud, title = UsdGeom.Points(prim), label(prim.GetName(), "Points")
    points = _values(cloud.GetPointsAttr(), 3)
    widths = _values(cloud.GetWidthsAttr(), 1)[:, 0]
    if not len(points):
        return None
    if len(widths) != len(points):
        usual = USUAL_WIDTH * float(np.ptp(points, axis=0).max())
        widths = np.full(len(points), float(widths[0]) if len(widths) else usual)
    colours = _uniform(prim, "displayColor", len(points)) if bare else None
    return point_part(title, points, widths / 2, colours, model)


def as_hair(material: Material) -> Material:
    """The material of strands: fibres, unless it is a metal or lets light through by itself."""
    if material.base_metalness > 0 or material.transmission_weight > 0 or material.strand:
        return material
    return material.model_copy(update={"strand": True, "specular_ior": HAIR_IOR})


def _values(attribute: Usd.Attribute, width: int) -> F64:
    time = Usd.TimeCode.Default() if attribute.Get() is not None else Usd.TimeCode.EarliestTime()
    return np.array(attribute.Get(time) or (), np.float64).reshape(-1, width)


def _uniform(prim: Usd.Prim, name: str, curves: int) -> NDArray[Any] | None:
    """Values (n, k) of a primvar that each curve or point has; None where it has none, or others."""
    primvar = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance(name)
    if not primvar or not primvar.HasValue():
        return None
    values = np.array(primvar.ComputeFlattened(), np.float64)
    if values.ndim != 2 or len(values) not in (1, curves):
        return None
    return np.broadcast_to(values, (curves, values.shape[1]))
