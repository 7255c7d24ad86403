"""Animation of a USD stage: keyed transforms, skeletons and blend shapes (UsdSkel).

Linear between keys; keys of prims' places are taken apart into translation, rotation and scale (shear is lost).
"""

import numpy as np
import scipy
from numpy.typing import NDArray
from pxr import Usd, UsdGeom, UsdSkel

from ..skeleton import LINEAR, MOVE, SCALE, SHAPES, TURN, Skeleton, Track
from .model import Binding, FileModel, ModelPart
from .placing import hang, place

F64 = NDArray[np.float64]
Shape = tuple[int, NDArray[np.float32], NDArray[np.float32] | None]
"""As a binding holds them."""
_EVERYWHERE = Usd.TraverseInstanceProxies()
_REST = Usd.TimeCode.Default()


class UsdRig:
    """Collects nodes, bones and shapes as the meshes of a stage are read."""

    def __init__(self, stage: Usd.Stage):
        self._stage = stage
        self._skins: dict[str, tuple[UsdSkel.SkeletonQuery, UsdSkel.SkinningQuery]] = {}
        self._cache = UsdSkel.Cache()
        moving = False
        for prim in Usd.PrimRange(stage.GetPseudoRoot(), _EVERYWHERE):
            if prim.IsA(UsdSkel.Root):
                self._find_skins(UsdSkel.Root(prim))
            moving = moving or (prim.IsA(UsdGeom.Xformable) and UsdGeom.Xformable(prim).TransformMightBeTimeVarying())
        self.alive = moving or bool(self._skins)
        """true when anything could move"""
        self._nodes: dict[str, int] = {}
        self._parent: list[int] = []
        self._base: list[F64] = []
        self._rest: list[tuple[F64, F64, F64]] = []
        self._bones: list[tuple[int, F64]] = []
        self._shapes: list[float] = []
        self._joints: dict[str, NDArray[np.int64]] = {}
        self._keys: list[tuple[int, int, F64, F64]] = []  # kind, target, time codes, values
        self._hung: list[ModelPart] = []

    def _find_skins(self, root: UsdSkel.Root) -> None:
        self._cache.Populate(root, _EVERYWHERE)
        for binding in self._cache.ComputeSkelBindings(root, _EVERYWHERE):
            skeleton = self._cache.GetSkelQuery(binding.GetSkeleton())
            for skin in binding.GetSkinningTargets():
                if skeleton:
                    self._skins[str(skin.GetPrim().GetPath())] = skeleton, skin

    def bind(self, prim: Usd.Prim, part: ModelPart, point: NDArray[np.int64], at: F64, instanced: bool) -> None:
        """Hang a part of a mesh whose vertices are its points (v,); instances (n, 4, 4) stand still."""
        if instanced:
            place(part, at)
            part.binding = self._rigid(part, self._node_of(self._stage.GetPseudoRoot()))
        elif (found := self._skins.get(str(prim.GetPath()))) is None:
            part.binding = self._rigid(part, self._node_of(prim))
        else:
            part.binding = self._skinned(prim, part, point, *found)
        self._hung.append(part)

    def finish(self, model: FileModel) -> None:
        """Give the model its skeleton, and its parts the places where it rests."""
        if not self.alive or not self._hung:
            return
        model.skeleton = Skeleton(
            parent=np.array(self._parent, np.int32),
            base=np.array(self._base).reshape(-1, 4, 4),
            move=np.array([r[0] for r in self._rest]),
            turn=np.array([r[1] for r in self._rest]),
            scale=np.array([r[2] for r in self._rest]),
            bone_node=np.array([n for n, _ in self._bones], np.int32),
            bone_inverse=np.array([m for _, m in self._bones]).reshape(-1, 4, 4),
            shapes=np.array(self._shapes, float),
            animations=(self._tracks(),) if self._keys else (),
        )
        model.animation_names = ["Animation"] if self._keys else []
        at_rest = model.skeleton.at(())
        for part in self._hung:
            hang(part, *at_rest)

    def _tracks(self) -> tuple[Track, ...]:
        rate = self._stage.GetTimeCodesPerSecond() or 24.0
        begin = min(float(times[0]) for _, _, times, _ in self._keys)
        return tuple(
            Track(kind, target, LINEAR, (times - begin) / rate, values) for kind, target, times, values in self._keys
        )

    def _add(self, parent: int, base: F64, rest: tuple[F64, F64, F64]) -> int:
        self._parent.append(parent)
        self._base.append(base)
        self._rest.append(rest)
        return len(self._parent) - 1

    def _node_of(self, prim: Usd.Prim) -> int:
        """The node of a prim, after those above it."""
        path = str(prim.GetPath())
        if path in self._nodes:
            return self._nodes[path]
        parent = -1 if prim.IsPseudoRoot() else self._node_of(prim.GetParent())
        base, rest = np.eye(4), _apart(np.eye(4)[None])
        xform = UsdGeom.Xformable(prim) if prim.IsA(UsdGeom.Xformable) else None
        if xform is None:
            node = self._add(parent, base, _first(rest))
        else:
            parent = -1 if xform.GetResetXformStack() else parent
            if xform.TransformMightBeTimeVarying():
                times = np.array(xform.GetTimeSamples(), float)
                keys = _apart(np.array([_local(xform, t) for t in times]))
                node = self._add(parent, base, _first(keys))
                self._drive(node, times, keys)
            else:
                node = self._add(parent, _local(xform, _REST), _first(rest))
        self._nodes[path] = node
        return node

    def _drive(self, node: int, times: F64, keys: tuple[F64, F64, F64]) -> None:
        self._keys += [(kind, node, times, values) for kind, values in zip((MOVE, TURN, SCALE), keys, strict=True)]

    def _rigid(self, part: ModelPart, node: int) -> Binding:
        """A part that goes with one node."""
        self._bones.append((node, np.eye(4)))
        count = len(part.vertices)
        bone = np.full((count, 1), len(self._bones) - 1, np.int32)
        return Binding(part.vertices.astype(np.float32), bone, np.ones((count, 1), np.float32))

    def _skinned(
        self,
        prim: Usd.Prim,
        part: ModelPart,
        point: NDArray[np.int64],
        skeleton: UsdSkel.SkeletonQuery,
        skin: UsdSkel.SkinningQuery,
    ) -> Binding:
        """A part that hangs on joints: in the space of its skeleton, brought there by its bind transform."""
        shapes = self._blend_shapes(skeleton, skin, point, int(point.max(initial=0)) + 1)
        if not skin.HasJointInfluences():
            binding = self._rigid(part, self._node_of(prim))
            binding.shapes = shapes
            return binding
        joints, bind = self._joint_nodes(skeleton), _matrices(skeleton.GetJointWorldBindTransforms())
        geometry = _matrices([skin.GetGeomBindTransform()])[0]
        first = len(self._bones)
        self._bones += [(int(node), np.linalg.inv(b) @ geometry) for node, b in zip(joints, bind, strict=False)]
        points = len(UsdGeom.Mesh(prim).GetPointsAttr().Get(Usd.TimeCode.EarliestTime()))
        found = skin.ComputeVaryingJointInfluences(points)
        width = max(len(found[0]) // max(points, 1), 1)
        index = np.array(found[0], np.int64).reshape(points, width)
        weight = np.array(found[1], np.float32).reshape(points, width).clip(0, None)
        order = skin.GetJointOrder()
        if order:  # the mesh counts the joints in an order of its own
            names = {str(name): i for i, name in enumerate(skeleton.GetJointOrder())}
            index = np.array([names.get(str(name), 0) for name in order], np.int64)[index]
        if index.min(initial=0) < 0 or index.max(initial=0) >= len(bind):
            raise ValueError("joints that are not there")
        weight[weight.sum(axis=1) <= 0, 0] = 1.0
        weight /= weight.sum(axis=1, keepdims=True)
        bone = (first + index[point]).astype(np.int32)
        return Binding(part.vertices.astype(np.float32), bone, np.ascontiguousarray(weight[point]), shapes)

    def _joint_nodes(self, skeleton: UsdSkel.SkeletonQuery) -> NDArray[np.int64]:
        """The node of each joint, after entering them and what drives them."""
        path = str(skeleton.GetPrim().GetPath())
        if path in self._joints:
            return self._joints[path]
        above, topology = self._node_of(skeleton.GetPrim()), skeleton.GetTopology()
        rest = _apart(_matrices(skeleton.ComputeJointLocalTransforms(_REST, True)))
        nodes = np.zeros(len(topology), np.int64)
        for i in range(len(topology)):
            parent = topology.GetParent(i)
            own = (rest[0][i], rest[1][i], rest[2][i])
            nodes[i] = self._add(above if parent < 0 else int(nodes[parent]), np.eye(4), own)
        self._joints[path] = nodes
        if animation := skeleton.GetAnimQuery():
            self._drive_joints(skeleton, animation, nodes)
        return nodes

    def _drive_joints(
        self, skeleton: UsdSkel.SkeletonQuery, animation: UsdSkel.AnimQuery, nodes: NDArray[np.int64]
    ) -> None:
        place_of = {str(name): i for i, name in enumerate(skeleton.GetJointOrder())}
        times = np.array(animation.GetJointTransformTimeSamples(), float)
        keys = [animation.ComputeJointLocalTransformComponents(t) for t in (times if len(times) else [_REST])]
        if any(k is None for k in keys):
            return
        move, scale = (np.array([np.array(k[c], float) for k in keys]) for c in (0, 2))
        turn = np.array([[[*q.GetImaginary(), q.GetReal()] for q in k[1]] for k in keys], float)
        for j, name in enumerate(animation.GetJointOrder()):
            i = place_of.get(str(name))
            if i is None:
                continue
            values = (move[:, j], turn[:, j], scale[:, j])
            if len(times):
                self._drive(int(nodes[i]), times, values)
            else:  # a pose, not a movement
                self._rest[int(nodes[i])] = _first(values)

    def _blend_shapes(
        self, skeleton: UsdSkel.SkeletonQuery, skin: UsdSkel.SkinningQuery, point: NDArray[np.int64], points: int
    ) -> list[Shape]:
        """The shapes of a part, after entering them and what drives them."""
        if not skin.HasBlendShapes():
            return []
        names = [str(n) for n in skin.GetBlendShapeOrder() or ()]
        found: list[Shape] = []
        first = len(self._shapes)
        for path in skin.GetBlendShapeTargetsRel().GetForwardedTargets()[: len(names)]:
            shape = UsdSkel.BlendShape(self._stage.GetPrimAtPath(path))
            offsets = np.array(shape.GetOffsetsAttr().Get() or (), np.float32).reshape(-1, 3)
            which = np.array(shape.GetPointIndicesAttr().Get() or np.arange(len(offsets)), np.int64)
            if len(which) == len(offsets) and which.min(initial=0) >= 0:
                size = max(points, int(which.max(initial=0)) + 1)
                move = np.zeros((size, 3), np.float32)
                move[which] = offsets
                found.append((first + len(found), move[point], None))
            else:
                found.append((first + len(found), np.zeros((len(point), 3), np.float32), None))
        animation = skeleton.GetAnimQuery()
        order = [str(n) for n in animation.GetBlendShapeOrder()] if animation else []
        times = np.array(animation.GetBlendShapeWeightTimeSamples() if animation else (), float)
        keys = [animation.ComputeBlendShapeWeights(t) for t in (times if len(times) else [_REST] * bool(order))]
        table = np.array([[dict(zip(order, k or (), strict=False)).get(n, 0.0) for n in names] for k in keys], float)
        self._shapes += (table[0].tolist() if len(table) and not len(times) else [0.0] * len(found))[: len(found)]
        if len(times) and found:
            self._keys.append((SHAPES, first, times, table[:, : len(found)]))
        return found


def _matrices(given: list[object] | None) -> F64:
    """Matrices of row vectors as ones of column vectors (n, 4, 4)."""
    return np.array([np.array(m).T for m in given or ()], float).reshape(-1, 4, 4)


def _local(xform: UsdGeom.Xformable, time: float | Usd.TimeCode) -> F64:
    return _matrices([xform.GetLocalTransformation(Usd.TimeCode(time))])[0]


def _apart(matrices: F64) -> tuple[F64, F64, F64]:
    """Translation (k, 3), rotation (k, 4) x y z w and scale (k, 3) of matrices (k, 4, 4)."""
    linear = matrices[:, :3, :3]
    scale = np.linalg.norm(linear, axis=1)
    scale[:, 0] *= np.where(np.linalg.det(linear) < 0, -1.0, 1.0)
    safe = np.where(np.abs(scale) > 1e-12, scale, 1.0)
    turns = [
        scipy.spatial.transform.Rotation.from_matrix(m).as_quat() if np.linalg.det(m) > 1e-9 else [0.0, 0.0, 0.0, 1.0]
        for m in linear / safe[:, None, :]
    ]
    return matrices[:, :3, 3].copy(), np.array(turns, float).reshape(-1, 4), scale


def _first(keys: tuple[F64, F64, F64]) -> tuple[F64, F64, F64]:
    return keys[0][0], keys[1][0], keys[2][0]
