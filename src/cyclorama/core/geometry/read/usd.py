"""OpenUSD: meshes with their subsets, instances, coordinates and colours, and the materials bound to them.

Follows the schemas UsdGeom, UsdShade and UsdPreviewSurface of OpenUSD. The stage is opened in a folder of its own: what
is referred to outside of what was brought in stays there.
"""

import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Gf, Tf, Usd, UsdGeom, UsdShade

from ...errors import IntakeError
from ...words import count
from .corners import Polygons, cut_apart, from_top
from .files import FileBundle, unpack
from .model import Creases, FileModel, ModelPart
from .names import label
from .placing import place, reverse
from .usd_curves import as_hair, balls_of, strands_of
from .usd_layers import bound_to_folder, root_of, write_files
from .usd_material import UsdMaterials
from .usd_rig import UsdRig
from .usd_scene_extras import read_around
from .usd_variants import read_variants

MOST_PRIMS, MOST_INSTANCES = 500_000, 500_000
MAX_DEPTH = 60
"""Instancers within instancers beyond this are left out."""
_NEVER_SHOWN = {"guide", "proxy"}


def read_usd(name: str, data: bytes, bundle: FileBundle) -> FileModel:
    """Read a .usd, .usda, .usdc or .usdz; raises IntakeError when it is damaged."""
    with tempfile.TemporaryDirectory(prefix="cyclorama-usd-") as place:
        folder = Path(place).resolve()
        if name.lower().endswith(".usdz"):
            files = unpack(name, data)
            root = next((n for n in files if n.lower().endswith((".usd", ".usda", ".usdc"))), None)
            if root is None:
                raise IntakeError(f"‘{name}’ holds no USD layer. Export it again.")
        else:
            files, root = bundle.all(), name
        write_files(files, folder)
        layer, held, missing = bound_to_folder(folder / root, folder)
        try:
            stage = Usd.Stage.Open(layer)
        except Tf.ErrorException as error:
            raise IntakeError(f"‘{name}’ is damaged or not really a USD file. Export it again.") from error
        model = _Reader(stage, folder, FileBundle(files), root).model
        model.missing += missing
        del held  # unpacked layers count as long as they are held
        return model


def choose_root(bundle: FileBundle, names: list[str]) -> str:
    """Of several USD files of a bundle, the one that no other refers to. Raises IntakeError where that is not one."""
    with tempfile.TemporaryDirectory(prefix="cyclorama-usd-") as place:
        folder = Path(place).resolve()
        write_files(bundle.all(), folder)
        return root_of(names, folder)


@dataclass(slots=True)
class _Spread:
    """Values of a primvar, and which of them each corner (c,) has."""

    values: NDArray[Any]
    at: NDArray[np.int64]


class _Reader:
    """One stage on its way into a model."""

    def __init__(self, stage: Usd.Stage, folder: Path, bundle: FileBundle, root: str):
        up = "z" if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z else "y"
        self.model = FileModel(up=up, unit_m=_unit_m(stage))
        self._stage, self._places = stage, UsdGeom.XformCache()
        self._materials = UsdMaterials(folder, bundle, root, self.model)
        self._left: dict[str, int] = {}
        self._meshes = self._prims = self._instances = 0
        self._rig = UsdRig(stage)
        self._made: list[tuple[ModelPart, str, str]] = []
        self._walk(stage.GetPseudoRoot(), np.eye(4)[None], 0)
        self._rig.finish(self.model)
        read_around(stage, self.model)
        read_variants(stage, self._materials, self._made, self.model)
        self._note_what_is_left()

    def _walk(self, root: Usd.Prim, instances: NDArray[np.float64], depth: int) -> None:
        """Take in everything below a prim, as often as it is instanced (n, 4, 4)."""
        walk = iter(Usd.PrimRange(root, Usd.TraverseInstanceProxies()))
        for prim in walk:
            self._prims += 1
            if self._prims > MOST_PRIMS:
                raise IntakeError(f"This stage has more than {MOST_PRIMS:,} prims. Export only the model.")
            if prim.IsA(UsdGeom.PointInstancer):
                walk.PruneChildren()
                if depth < MAX_DEPTH:
                    self._instancer(UsdGeom.PointInstancer(prim), instances, depth)
            elif prim.IsA(UsdGeom.Mesh):
                if UsdGeom.Imageable(prim).ComputePurpose() not in _NEVER_SHOWN:
                    self._mesh(UsdGeom.Mesh(prim), instances)
            elif prim.IsA(UsdGeom.BasisCurves) or prim.IsA(UsdGeom.Points):
                if UsdGeom.Imageable(prim).ComputePurpose() not in _NEVER_SHOWN:
                    self._threads(prim, instances)
            else:
                self._count(prim)

    def _count(self, prim: Usd.Prim) -> None:
        kind, what = prim.GetTypeName(), None
        if prim.IsA(UsdGeom.Gprim):
            what = f"{kind.lower()} without a mesh"
        if what:
            self._left[what] = self._left.get(what, 0) + 1

    def _instancer(self, instancer: UsdGeom.PointInstancer, outer: NDArray[np.float64], depth: int) -> None:
        """Prototypes with the places of their instances; the instancer's own place is in the outer one's space."""
        time = self._time(instancer.GetPositionsAttr())
        found = instancer.ComputeInstanceTransformsAtTime(
            time, time, UsdGeom.PointInstancer.ExcludeProtoXform, UsdGeom.PointInstancer.IgnoreMask
        )
        indices = np.array(instancer.GetProtoIndicesAttr().Get(time) or (), int)
        shown = np.array(instancer.ComputeMaskAtTime(time) or (), bool)
        if len(shown) == len(indices):
            indices = np.where(shown, indices, -1)  # those that are inactive or invisible
        at = _matrix(self._places.GetLocalToWorldTransform(instancer.GetPrim()))
        local = np.array([np.array(m).T for m in found or ()]).reshape(-1, 4, 4)
        for i, path in enumerate(instancer.GetPrototypesRel().GetForwardedTargets()):
            prototype = self._stage.GetPrimAtPath(path)
            mine = local[: len(indices)][indices[: len(local)] == i]
            if not prototype or not len(mine):
                continue
            parent = _matrix(self._places.GetParentToWorldTransform(prototype))
            self._instances += len(mine) * len(outer)
            if self._instances > MOST_INSTANCES:
                raise IntakeError(f"This stage has more than {MOST_INSTANCES:,} instances. Export fewer of them.")
            spread = at @ mine @ np.linalg.inv(parent)
            self._walk(prototype, (outer[:, None] @ spread[None]).reshape(-1, 4, 4), depth + 1)

    def _mesh(self, mesh: UsdGeom.Mesh, instances: NDArray[np.float64]) -> None:
        prim = mesh.GetPrim()
        points = np.array(mesh.GetPointsAttr().Get(self._time(mesh.GetPointsAttr())) or (), np.float64).reshape(-1, 3)
        sizes = np.array(mesh.GetFaceVertexCountsAttr().Get() or (), np.int64)
        index = np.array(mesh.GetFaceVertexIndicesAttr().Get() or (), np.int64)
        title = label(prim.GetName(), "Part")
        if not len(sizes):
            return
        if sizes.min() < 0 or sizes.sum() != len(index) or index.min(initial=0) < 0 or index.max() >= len(points):
            raise IntakeError(f"‘{title}’ refers to vertices that are not there; it is damaged. Export it again.")
        self._note_cache(mesh, title)
        sizes, index, kept = _without_holes(mesh, sizes, index)
        if not len(sizes):
            return
        sets, part = self._subsets(mesh, kept)
        materials = [self._materials.index(s) for s in sets]
        wanted = self._materials.coordinates(materials)
        spreads = [
            self._spread(mesh, wanted[0], sizes, index),
            self._spread(mesh, wanted[1], sizes, index),
            self._normals(mesh, sizes, index),
            self._spread(mesh, "displayColor", sizes, index),
            self._spread(mesh, "displayOpacity", sizes, index),
        ]
        smooth = self._is_smooth(mesh)
        creases = _creases(mesh) if smooth else None
        if smooth:
            spreads[2] = None  # normals of the cage are not those of the surface
        columns = [s.at if s is not None else np.zeros(len(index), np.int64) for s in spreads]
        flip = mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded
        self._meshes += 1
        at = instances @ _matrix(self._places.GetLocalToWorldTransform(prim))
        pieces = cut_apart(points, Polygons(np.column_stack([index, *columns]), sizes, part))
        for number, rows, piece in pieces:
            own = label(sets[number].GetName(), title)
            piece.name = title if len(pieces) == 1 or not number else f"{title}, {own}"
            piece.material = materials[number]
            piece.visible = UsdGeom.Imageable(prim).ComputeVisibility() != UsdGeom.Tokens.invisible
            piece.smooth, piece.body = smooth, self._meshes
            piece.group = tuple(p.name for p in prim.GetPath().GetParentPath().GetPrefixes())
            piece.creases = _within(creases, rows[:, 0], len(points)) if creases is not None else None
            if flip:
                reverse(piece)
            self._dress(piece, rows, spreads, self._materials.bare(materials[number]))
            if self._rig.alive:
                self._rig.bind(prim, piece, rows[:, 0], at, self._is_instanced(instances))
            else:
                place(piece, at)
            self.model.parts.append(piece)
            self._made.append((piece, str(prim.GetPath()), str(sets[number].GetPath())))

    def _threads(self, prim: Usd.Prim, instances: NDArray[np.float64]) -> None:
        """Curves as strands, points as balls."""
        material = self._materials.index(prim)
        bare = self._materials.bare(material)
        part = strands_of(prim, self.model, bare) if prim.IsA(UsdGeom.BasisCurves) else balls_of(prim, self.model, bare)
        if part is None:
            return
        part.material = material
        part.visible = UsdGeom.Imageable(prim).ComputeVisibility() != UsdGeom.Tokens.invisible
        part.group = tuple(p.name for p in prim.GetPath().GetParentPath().GetPrefixes())
        if prim.IsA(UsdGeom.BasisCurves):
            self.model.materials[material] = as_hair(self.model.materials[material])
        place(part, instances @ _matrix(self._places.GetLocalToWorldTransform(prim)))
        self.model.parts.append(part)

    def _is_instanced(self, instances: NDArray[np.float64]) -> bool:
        return len(instances) != 1 or not np.array_equal(instances[0], np.eye(4))

    def _is_smooth(self, mesh: UsdGeom.Mesh) -> bool:
        """True when the file itself says that a mesh is a cage: by default all would be, which hardly anybody means."""
        scheme = mesh.GetSubdivisionSchemeAttr()
        if not scheme.HasAuthoredValue() or scheme.Get() == UsdGeom.Tokens.none:
            return False
        if scheme.Get() != UsdGeom.Tokens.catmullClark:
            title = label(mesh.GetPrim().GetName(), "Part")
            self.model.notes.append(f"‘{title}’ is a cage of another subdivision: shown as it is.")
            return False
        return True

    def _time(self, attribute: Usd.Attribute) -> Usd.TimeCode:
        """The default, or the first key of what has no default."""
        if attribute.Get() is not None:
            return Usd.TimeCode.Default()
        return Usd.TimeCode.EarliestTime()

    def _note_cache(self, mesh: UsdGeom.Mesh, title: str) -> None:
        samples = mesh.GetPointsAttr().GetNumTimeSamples()
        if samples > 1:
            self.model.notes.append(
                f"‘{title}’ changes its shape by {samples} time samples of its points: it stands as it is in the first."
            )

    def _subsets(self, mesh: UsdGeom.Mesh, kept: NDArray[np.bool_]) -> tuple[list[Usd.Prim], NDArray[np.int64]]:
        """Prims that have a material of their own, and which of them each kept face belongs to; `kept` (f,) are faces
        that are no holes."""
        faces = len(kept)
        sets, part = [mesh.GetPrim()], np.zeros(faces, np.int64)
        for subset in UsdShade.MaterialBindingAPI(mesh.GetPrim()).GetMaterialBindSubsets():
            chosen = np.array(subset.GetIndicesAttr().Get() or (), np.int64)
            part[chosen[(chosen >= 0) & (chosen < faces)]] = len(sets)
            sets.append(subset.GetPrim())
        return sets, part[kept]

    def _spread(
        self, mesh: UsdGeom.Mesh, name: str | None, sizes: NDArray[np.int64], index: NDArray[np.int64]
    ) -> _Spread | None:
        primvar = UsdGeom.PrimvarsAPI(mesh.GetPrim()).FindPrimvarWithInheritance(name) if name else None
        if not primvar or not primvar.HasValue():
            return None
        given, order = primvar.Get(self._time(primvar.GetAttr())), primvar.GetIndices()
        indices = np.array(order, np.int64) if primvar.IsIndexed() and order else None
        return _spread_out(np.array(given), indices, str(primvar.GetInterpolation()), sizes, index)

    def _normals(self, mesh: UsdGeom.Mesh, sizes: NDArray[np.int64], index: NDArray[np.int64]) -> _Spread | None:
        if (found := self._spread(mesh, "normals", sizes, index)) is not None:
            return found
        given = mesh.GetNormalsAttr().Get()
        if not given:
            return None
        return _spread_out(np.array(given), None, str(mesh.GetNormalsInterpolation()), sizes, index)

    def _dress(self, piece: ModelPart, rows: NDArray[np.int64], spreads: list[_Spread | None], bare: bool) -> None:
        """Give a part its coordinates, normals and, where no material is bound, its colours."""
        uvs, more, normals, colours, opacity = (
            None if s is None else s.values[rows[:, 1 + k]] for k, s in enumerate(spreads)
        )
        for field, values in (("uvs", uvs), ("more_uvs", more)):
            if values is not None and values.ndim == 2 and values.shape[1] >= 2:
                setattr(piece, field, from_top(values[:, 0], values[:, 1]))
        if normals is not None and normals.shape == (len(rows), 3):
            piece.normals = normals.astype(np.float32)
        if bare and colours is not None and colours.shape == (len(rows), 3):
            alpha = np.ones(len(rows)) if opacity is None else opacity.reshape(-1)
            piece.colours = np.column_stack([colours, alpha]).astype(np.float32).clip(0, 1)

    def _note_what_is_left(self) -> None:
        for what, many in self._left.items():
            self.model.notes.append(f"{count(many, what)} in the file left out.")


def _unit_m(stage: Usd.Stage) -> float:
    """Length of a unit of the stage in metres. Raises IntakeError when the file states no positive number."""
    unit = float(UsdGeom.GetStageMetersPerUnit(stage))
    if not 1e-9 <= unit <= 1e9:
        raise IntakeError(f"The file says that its unit is {unit:g} metres (metersPerUnit). Correct that first.")
    return unit


def _without_holes(
    mesh: UsdGeom.Mesh, sizes: NDArray[np.int64], index: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
    """Sizes and corners of the faces that are no holes, and which faces (f,) those are."""
    holes = np.array(mesh.GetHoleIndicesAttr().Get() or (), np.int64)
    kept = np.ones(len(sizes), bool)
    kept[holes[(holes >= 0) & (holes < len(sizes))]] = False
    return sizes[kept], index[np.repeat(kept, sizes)], kept


def _spread_out(
    values: NDArray[Any],
    indices: NDArray[np.int64] | None,
    how: str,
    sizes: NDArray[np.int64],
    index: NDArray[np.int64],
) -> _Spread | None:
    """Which value each corner has by its interpolation; None where the values do not suffice."""
    if how == "constant":
        at = np.zeros(len(index), np.int64)
    elif how == "uniform":
        at = np.repeat(np.arange(len(sizes)), sizes)
    elif how == "faceVarying":
        at = np.arange(len(index))
    else:  # vertex and varying
        at = index
    if indices is not None:
        if at.max(initial=0) >= len(indices):
            return None
        at = indices[at]
    if not len(values) or at.min(initial=0) < 0 or at.max(initial=0) >= len(values):
        return None
    return _Spread(values, at)


def _creases(mesh: UsdGeom.Mesh) -> Creases | None:
    """Edges of points that are to stay sharp; None where there are none, or they are broken."""
    index = np.array(mesh.GetCreaseIndicesAttr().Get() or (), np.int64)
    lengths = np.array(mesh.GetCreaseLengthsAttr().Get() or (), np.int64)
    sharpness = np.array(mesh.GetCreaseSharpnessesAttr().Get() or (), np.float64)
    if lengths.sum() != len(index) or lengths.min(initial=2) < 2:
        return None
    last = np.cumsum(lengths) - 1
    within = np.ones(len(index), bool)
    within[last] = False
    edges = np.column_stack([index[:-1], index[1:]])[within[:-1]] if len(index) else np.zeros((0, 2), np.int64)
    if len(sharpness) == len(lengths):  # one for each chain, or one for each edge
        sharpness = np.repeat(sharpness, lengths - 1)
    return Creases(edges, sharpness) if len(edges) and len(sharpness) == len(edges) else None


def _within(creases: Creases, point: NDArray[np.int64], points: int) -> Creases:
    """Creases between vertices of a piece, of which each is at a point (v,)."""
    vertex = np.full(points, -1)
    vertex[point] = np.arange(len(point))
    known = ((creases.edges >= 0) & (creases.edges < points)).all(axis=1)
    edges = vertex[creases.edges[known]]
    there = (edges >= 0).all(axis=1)
    return Creases(edges[there], creases.sharpness[known][there])


def _matrix(m: Gf.Matrix4d) -> NDArray[np.float64]:
    """A matrix of row vectors as one of column vectors."""
    return np.array(m).T
