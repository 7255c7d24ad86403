"""What moves in OpenUSD, against the library's own evaluation of skeletons and blend shapes."""

from pathlib import Path

import numpy as np
import pytest
from pxr import Gf, Sdf, Usd, UsdGeom, UsdSkel, Vt

from cyclorama.core.geometry.cache_keys import Intake, rig_key
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.rig import Rig

RINGS, SIDES, RATE = 9, 8, 24.0


def arm(stage: Usd.Stage, own_order: bool) -> UsdGeom.Mesh:
    """A tube that bends at its middle and bulges, on a trolley that rolls and turns."""
    root = UsdSkel.Root.Define(stage, "/trolley")
    UsdGeom.Xformable(root).AddTranslateOp().Set(Gf.Vec3d(1, 0, 0))
    turning = UsdGeom.Xformable(root).AddRotateYOp()
    for time, degrees in ((1, 0), (13, 60), (25, 90)):
        turning.Set(float(degrees), time)
    skeleton = UsdSkel.Skeleton.Define(stage, "/trolley/skeleton")
    UsdGeom.Xformable(skeleton).AddTranslateOp().Set(Gf.Vec3d(0, 0.5, 0))
    joints = ["base", "base/tip"]
    skeleton.CreateJointsAttr(joints)
    here, above = Gf.Matrix4d(1), Gf.Matrix4d(1).SetTranslate(Gf.Vec3d(0, 1, 0))
    skeleton.CreateBindTransformsAttr([here, above])
    skeleton.CreateRestTransformsAttr([here, above])
    mesh = UsdGeom.Mesh.Define(stage, "/trolley/arm")
    angle = np.arange(SIDES) * 2 * np.pi / SIDES
    points = [(0.2 * np.cos(a), y, 0.2 * np.sin(a)) for y in np.linspace(0, 2, RINGS) for a in angle]
    mesh.CreatePointsAttr([Gf.Vec3f(*map(float, p)) for p in points])
    quads = [
        (r * SIDES + s, (r + 1) * SIDES + s, (r + 1) * SIDES + (s + 1) % SIDES, r * SIDES + (s + 1) % SIDES)
        for r in range(RINGS - 1)
        for s in range(SIDES)
    ]
    mesh.CreateFaceVertexCountsAttr([4] * len(quads))
    mesh.CreateFaceVertexIndicesAttr(np.ravel(quads).tolist())
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    tip = np.clip(np.array(points)[:, 1] - 0.5, 0, 1)
    weights = np.column_stack([1 - tip, tip]).ravel()
    order = [1, 0] if own_order else [0, 1]
    binding.CreateJointIndicesPrimvar(False, 2).Set(order * len(points))
    binding.CreateJointWeightsPrimvar(False, 2).Set(weights.tolist())
    if own_order:
        binding.CreateJointsAttr(["base/tip", "base"])
    binding.CreateGeomBindTransformAttr(Gf.Matrix4d(1).SetTranslate(Gf.Vec3d(0, 0.1, 0)))
    binding.CreateSkeletonRel().SetTargets([skeleton.GetPath()])
    shape = UsdSkel.BlendShape.Define(stage, "/trolley/arm/bulge")
    shape.CreateOffsetsAttr([Gf.Vec3f(0.3, 0, 0.1)] * SIDES)
    shape.CreatePointIndicesAttr(list(range(4 * SIDES, 5 * SIDES)))
    binding.CreateBlendShapesAttr(["bulge"])
    binding.CreateBlendShapeTargetsRel().SetTargets([shape.GetPath()])
    animation = UsdSkel.Animation.Define(stage, "/trolley/skeleton/bend")
    animation.CreateJointsAttr(joints)
    animation.CreateBlendShapesAttr(["bulge"])
    for time, bend, bulge in ((1, 0, 0), (13, 50, 1), (25, -20, 0.25)):
        turn = Gf.Rotation(Gf.Vec3d(0, 0, 1), bend).GetQuat()
        animation.CreateTranslationsAttr().Set([Gf.Vec3f(0), Gf.Vec3f(0, 1, 0)], time)
        animation.CreateRotationsAttr().Set(Vt.QuatfArray([Gf.Quatf(1), Gf.Quatf(turn)]), time)
        animation.CreateScalesAttr().Set(Vt.Vec3hArray([Gf.Vec3h(1), Gf.Vec3h(1)]), time)
        animation.CreateBlendShapeWeightsAttr().Set([float(bulge)], time)
    skeleton_binding = UsdSkel.BindingAPI.Apply(skeleton.GetPrim())
    skeleton_binding.CreateAnimationSourceRel().SetTargets([animation.GetPath()])
    return mesh


def by_the_library(stage: Usd.Stage, mesh: UsdGeom.Mesh, time: float) -> np.ndarray:
    """Points (n, 3) in world space as OpenUSD itself computes them."""
    root = UsdSkel.Root(stage.GetPrimAtPath("/trolley"))
    cache = UsdSkel.Cache()
    cache.Populate(root, Usd.PrimDefaultPredicate)
    (bound,) = cache.ComputeSkelBindings(root, Usd.PrimDefaultPredicate)
    skeleton, (skin,) = cache.GetSkelQuery(bound.GetSkeleton()), bound.GetSkinningTargets()
    shapes = UsdSkel.BlendShapeQuery(UsdSkel.BindingAPI(mesh.GetPrim()))
    weights = skeleton.GetAnimQuery().ComputeBlendShapeWeights(time)
    sub_weights, indices, sub_shapes = shapes.ComputeSubShapeWeights(weights)
    points = Vt.Vec3fArray(mesh.GetPointsAttr().Get())
    assert shapes.ComputeDeformedPoints(
        sub_weights,
        indices,
        sub_shapes,
        shapes.ComputeBlendShapePointIndices(),
        shapes.ComputeSubShapePointOffsets(),
        points,
    )
    assert skin.ComputeSkinnedPoints(skeleton.ComputeSkinningTransforms(time), points, time)
    world = UsdGeom.XformCache(time).GetLocalToWorldTransform(skeleton.GetPrim())
    return np.array([world.Transform(Gf.Vec3d(p)) for p in points])


def brought_in(path: Path, own_order: bool = False) -> tuple[Usd.Stage, UsdGeom.Mesh, Intake]:
    stage = Usd.Stage.CreateNew(str(path))
    stage.SetTimeCodesPerSecond(RATE)
    stage.SetStartTimeCode(1)
    stage.SetEndTimeCode(25)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    UsdGeom.SetStageUpAxis(stage, "Y")
    mesh = arm(stage, own_order)
    stage.GetRootLayer().Save()
    return stage, mesh, take_in({path.name: path.read_bytes()})


@pytest.mark.parametrize("own_order", [False, True])
def test_skeletons_and_blend_shapes_move_as_the_library_says(tmp_path: Path, own_order: bool) -> None:
    stage, mesh, intake = brought_in(tmp_path / "arm.usda", own_order)
    (animation,) = intake.item.animations
    assert animation.seconds == pytest.approx(1.0)
    rig = Rig.from_bytes(intake.assets[rig_key(intake.item.asset)])
    for time in (1.0, 13.0, 25.0):  # keys: between them the studio turns by slerp, the library blends matrices' parts
        moved, normals = rig.at(((0, (time - 1) / RATE, 1.0),))
        expected = by_the_library(stage, mesh, time)
        distance = np.linalg.norm(moved[:, None] - expected[None], axis=2)
        assert distance.min(axis=1).max() < 2e-6
        assert distance.min(axis=0).max() < 2e-6
        assert np.linalg.norm(normals, axis=1) == pytest.approx(1.0)
    assert np.ptp(rig.at(((0, 0.5, 1.0),))[0], axis=0).max() < 3


def test_rigid_bodies_travel_while_poses_stand(tmp_path: Path) -> None:
    """A cube whose place has keys; a skeleton with one pose and no keys stands in that pose and brings no animation."""
    stage = Usd.Stage.CreateNew(str(tmp_path / "cube.usda"))
    stage.SetTimeCodesPerSecond(10)
    cube = UsdGeom.Mesh.Define(stage, "/shelf/cube")
    corners = [(x, y, z) for x in (0, 1) for y in (0, 1) for z in (0, 1)]
    cube.CreatePointsAttr([Gf.Vec3f(*map(float, c)) for c in corners])
    cube.CreateFaceVertexCountsAttr([4] * 6)
    cube.CreateFaceVertexIndicesAttr([0, 1, 3, 2, 4, 6, 7, 5, 0, 4, 5, 1, 2, 3, 7, 6, 0, 2, 6, 4, 1, 5, 7, 3])
    shelf = UsdGeom.Xform.Define(stage, "/shelf")
    shelf.AddScaleOp().Set(Gf.Vec3f(2, 2, -2))
    place = cube.AddTranslateOp()
    place.Set(Gf.Vec3d(0, 0, 0), 0)
    place.Set(Gf.Vec3d(4, 0, 0), 20)
    cube.GetPrim().CreateAttribute("userProperties:note", Sdf.ValueTypeNames.String).Set("x")
    stage.GetRootLayer().Save()
    intake = take_in({"cube.usda": (tmp_path / "cube.usda").read_bytes()})
    rig = Rig.from_bytes(intake.assets[rig_key(intake.item.asset)])
    assert intake.item.animations[0].seconds == 2.0
    assert rig.at(((0, 1.0, 1.0),))[0].min(axis=0) == pytest.approx([4, 0, -2], abs=1e-6)
    _, _, still = brought_in(tmp_path / "arm.usda")
    assert still.item.parts[0].group == ("trolley",)
    posed = Usd.Stage.Open(str(tmp_path / "arm.usda"))
    for path in ("/trolley/skeleton/bend", "/trolley"):
        for attribute in posed.GetPrimAtPath(path).GetAttributes():
            if attribute.GetNumTimeSamples():
                value = attribute.Get(13.0)
                attribute.Clear()
                attribute.Set(value)
    posed.GetRootLayer().Export(str(tmp_path / "posed.usda"))
    stage, mesh = posed, UsdGeom.Mesh(posed.GetPrimAtPath("/trolley/arm"))
    stood = take_in({"posed.usda": (tmp_path / "posed.usda").read_bytes()})
    assert stood.item.animations == ()
    expected = by_the_library(stage, mesh, 0.0)
    assert stood.measures.hull.max(axis=0) == pytest.approx(expected.max(axis=0), abs=1e-5)
    assert stood.measures.hull.min(axis=0) == pytest.approx(expected.min(axis=0), abs=1e-5)
