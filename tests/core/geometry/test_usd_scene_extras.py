"""Cameras, lights and variants of OpenUSD."""

import math
from pathlib import Path

import pytest
from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux, UsdShade
from tests.core.geometry.test_usd_step import bind, files_of, preview, square, stage_at

from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.read import read_model


def test_cameras_and_lights_are_as_their_schemas_say(tmp_path: Path) -> None:
    stage = stage_at(tmp_path / "room.usda", "Y", 0.01)
    square(stage, "/plate")
    camera = UsdGeom.Camera.Define(stage, "/eye")
    camera.AddTranslateOp().Set(Gf.Vec3d(0, 100, 300))
    camera.CreateFocalLengthAttr(50.0)
    camera.CreateVerticalApertureAttr(24.0)
    flat = UsdGeom.Camera.Define(stage, "/flat")
    flat.CreateProjectionAttr("orthographic")
    panel = UsdLux.RectLight.Define(stage, "/panel")
    UsdGeom.Xformable(panel).AddTranslateOp().Set(Gf.Vec3d(0, 200, 0))
    UsdGeom.Xformable(panel).AddRotateXOp().Set(-90.0)
    UsdGeom.Xformable(panel).AddScaleOp().Set(Gf.Vec3f(2, 2, 2))
    panel.CreateWidthAttr(30.0)
    panel.CreateHeightAttr(10.0)
    for light in (panel,):
        light.CreateIntensityAttr(600.0)
        light.CreateExposureAttr(3.0)
        light.CreateNormalizeAttr(True)
        light.CreateColorAttr(Gf.Vec3f(0.5, 0.25, 0.125))
    globe = UsdLux.SphereLight.Define(stage, "/globe")
    globe.CreateRadiusAttr(4.0)
    globe.CreateIntensityAttr(250.0)
    sun = UsdLux.DistantLight.Define(stage, "/sun")
    sun.CreateAngleAttr(1.0)
    sun.CreateIntensityAttr(1e6)
    UsdLux.DomeLight.Define(stage, "/dome")
    stage.GetRootLayer().Save()
    _, model = read_model(files_of(tmp_path))
    (eye,) = model.cameras
    assert (eye.at, eye.towards) == ((0, 100, 300), (0, 0, -1))
    assert eye.half_height == pytest.approx(0.24)
    by_name = {x.name: x for x in model.lights}
    first = by_name["panel"]
    assert (first.shape, first.width, first.height, first.power_unit) == ("rectangle", 60, 20, "nit")
    assert first.power == pytest.approx(600 * 8 * 0.5 / (60 * 20))
    assert first.colour == pytest.approx((1, 0.5, 0.25))
    assert first.towards == pytest.approx((0, -1, 0), abs=1e-6)
    assert (by_name["globe"].shape, by_name["globe"].width, by_name["globe"].power) == ("sphere", 8, 250)
    # a disc of half an angle a and luminance L gives π L sin² a square to it
    assert by_name["sun"].power == pytest.approx(math.pi * 1e6 * math.sin(math.radians(0.5)) ** 2)
    assert by_name["sun"].power_unit == "lx"
    text = " ".join(model.notes)
    assert "without perspective" in text
    assert "dome light is left out" in text


def test_variants_of_materials_are_kept_and_those_of_shape_named(tmp_path: Path) -> None:
    stage = stage_at(tmp_path / "chair.usda", "Y", 1.0)
    root = UsdGeom.Xform.Define(stage, "/chair").GetPrim()
    seat, leg = square(stage, "/chair/seat"), square(stage, "/chair/leg")
    red, blue = preview(stage, "/red", diffuseColor=(1, 0, 0)), preview(stage, "/blue", diffuseColor=(0, 0, 1))
    bind(leg.GetPrim(), red)
    colours = root.GetVariantSets().AddVariantSet("colour")
    for name, material in (("warm", red), ("cold", blue)):
        colours.AddVariant(name)
        colours.SetVariantSelection(name)
        with colours.GetVariantEditContext():
            UsdShade.MaterialBindingAPI.Apply(seat.GetPrim()).Bind(material)
    colours.AddVariant("long")
    colours.SetVariantSelection("long")
    with colours.GetVariantEditContext():
        square(stage, "/chair/back")
    paint = red.GetPrim().GetVariantSets().AddVariantSet("paint")
    for name, value in (("dull", 0.9), ("shiny", 0.1)):
        paint.AddVariant(name)
        paint.SetVariantSelection(name)
        with paint.GetVariantEditContext():
            shader = UsdShade.Shader(stage.GetPrimAtPath("/red/surface"))
            shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(value)
    paint.SetVariantSelection("dull")
    colours.SetVariantSelection("warm")
    stage.GetRootLayer().Save()
    intake = take_in(files_of(tmp_path))
    material = {m.id: m for m in intake.materials}
    parts = {p.id: p.name for p in intake.item.parts}
    found = {v.name: {parts[w.id]: material[w.material].name for w in v.parts} for v in intake.item.variants}
    assert found == {
        "As it came": {"seat": "red", "leg": "red"},
        "colour: cold": {"seat": "blue", "leg": "red"},
        "paint: shiny": dict.fromkeys(("seat", "leg"), "red, paint: shiny"),
    }
    rough = {m.name: m.specular_roughness for m in intake.materials}
    assert (rough["red"], rough["red, paint: shiny"]) == pytest.approx((0.9, 0.1))
    text = " ".join(f.what for f in intake.report.findings)
    assert "Variants of another shape are left out: ‘colour: long’." in text
    assert Usd.Stage.Open(str(tmp_path / "chair.usda")).GetPrimAtPath("/chair/back").IsValid() is False
