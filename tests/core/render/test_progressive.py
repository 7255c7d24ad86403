"""Pictures from films that are exposed already: what may change on them, by how much, and that it is what a new film
shows."""

import io

import numpy as np
import pytest
from PIL import Image
from tests.conftest import diffuse, edited, pixels_of, project_of, sphere

from cyclorama.core.commands.values import SetValue, apply_set
from cyclorama.core.light.rows import light_row
from cyclorama.core.light.shapes import RADIANCE
from cyclorama.core.motion import moment
from cyclorama.core.picture.exr import encode_layers
from cyclorama.core.picture.relight import Gains, gains
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film import cached_render
from cyclorama.core.render.film.cached_render import CachedRender
from cyclorama.core.render.film.picking import PickProbe
from cyclorama.core.render.film.progressive import (
    FIRST_SHRINK,
    FULL_SAMPLES,
    STEPS,
    TOLD_BURNT,
    DevelopedPicture,
    ProgressiveRenderer,
)
from cyclorama.core.render.film.tracer import Cancelled, Tracer, film_for
from cyclorama.core.scene import Environment, Gobo, Light, Project
from cyclorama.core.scene.light import Background

W, H = 48, 32


def studio() -> tuple[Project, SceneCompiler]:
    """A ball in front of a sweep, with two lamps and an environment that is brighter above."""
    project, assets = project_of(sphere(0.3, 48), diffuse(0.6))
    assets["around"] = encode_layers(
        {"": np.float32(np.linspace(1.5, 0.1, 16))[:, None, None] * np.ones((16, 32, 3), np.float32)}, 32
    )
    lights = (
        Light(id="key", name="Key", azimuth_deg=40, distance_m=1.5),
        Light(id="fill", name="Fill", azimuth_deg=-60, distance_m=2, strength_stops=-1),
    )
    environment = Environment(asset="around", strength_stops=-3)
    values = {"look/lights": lights, "camera/distance_m": 2.0, "look/environment": environment, "aim": 0.0}
    return edited(project, values), SceneCompiler(assets.__getitem__)


def changed(project: Project, **values: object) -> Project:
    """Names of values of the look without `look__`; all others as they are."""
    looks = ("lights__", "environment__", "tone__", "background__")
    return edited(project, {("look__" if path.startswith(looks) else "") + path: v for path, v in values.items()})


def gained(exposed: Project, now: Project) -> Gains | None:
    return gains(moment(exposed, 1), moment(now, 1))


def test_gains_are_what_the_lights_rows_say() -> None:
    """For every light the exposed radiance times its gain is the radiance that the kernels would now be given."""
    project, _ = studio()
    now = changed(
        project,
        lights__key__strength_stops=1.3,
        lights__key__temperature_k=3200.0,
        lights__fill__power_unit="cd",
        lights__fill__power=900.0,
        lights__fill__tint=0.4,
        lights__fill__colour=[1.0, 0.5, 0.25],
        environment__strength_stops=-1.0,
        tone__ev100=3.0,
        tone__white_k=3000.0,
        shot__shoot__name_pattern="x",
    )
    by = gained(project, now)
    assert by is not None
    for light, wanted, gain in zip(project.look.lights, now.look.lights, by, strict=False):
        row, goal = (light_row(x, np.zeros(3), 0.0)[RADIANCE : RADIANCE + 3] for x in (light, wanted))
        assert row * gain == pytest.approx(goal, rel=1e-5)
    assert by[2:] == pytest.approx(np.array([[1, 1, 1], [4, 4, 4]]))
    solo = gained(project, changed(project, lights__fill__solo=True))
    assert solo is not None
    assert solo[:, 0].tolist() == [0, 1, 1, 0]


@pytest.mark.parametrize(
    "values",
    [
        {"lights__key__azimuth_deg": 41.0},
        {"lights__key__width_m": 0.5},
        {"lights__key__casts_shadows": False},
        {"lights__key__gobo": Gobo().model_dump(mode="json")},
        {"environment__rotation_deg": 5.0},
        {"camera__azimuth_deg": 1.0},
        {"camera__focal_mm": 50.0},
        {"shot__shoot__bounces": 3},
        {"set__disc__on": True},
        {"lights__key__strength_stops": 9.0},
        {"environment__seen_by_camera": True},
    ],
)
def test_all_else_needs_a_new_film(values: dict[str, object]) -> None:
    project, _ = studio()
    assert gained(project, changed(project, **values)) is None


def test_equal_moments_share_a_film_wherever_they_come_from() -> None:
    """Another shot, another length, frame 1 of another orbit: what is seen is the same."""
    project, _ = studio()
    longer = edited(project, shot__frames=100)
    exposed = moment(project, 1)
    assert gains(exposed, moment(longer, 1)) is not None
    assert gains(exposed, moment(longer, 2)) is None
    quarter = moment(edited(project, shot__frames=4), 2)
    assert gains(quarter, moment(edited(project, shot__frames=8), 3)) is not None
    assert gains(quarter, moment(edited(project, camera__azimuth_deg=90.0), 1)) is not None
    blurred = edited(project, camera__shutter_deg=180.0)
    assert gains(moment(blurred, 1), moment(edited(blurred, shot__frames=100), 1)) is None


def test_lights_that_were_off_cannot_be_raised() -> None:
    project, _ = studio()
    assert gained(changed(project, lights__key__on=False), project) is None
    assert gained(changed(project, lights__key__power=0.0), project) is None
    assert gained(changed(project, environment__on=False), project) is None
    seen = changed(project, environment__seen_by_camera=True)
    assert gained(seen, changed(seen, environment__on=False)) is None
    clamped = changed(project, shot__shoot__clamp_indirect=4.0)
    assert gained(clamped, clamped) is not None
    assert gained(clamped, changed(clamped, tone__ev100=3.0)) is None
    assert gained(clamped, changed(clamped, lights__key__strength_stops=0.5)) is None


def test_a_print_is_what_a_new_film_shows(tracer: Tracer) -> None:
    """Other strengths, colours, a light off and the environment up: within noise the same as exposing anew."""
    project, compiler = studio()
    now = changed(
        project,
        lights__key__strength_stops=-1.0,
        lights__key__temperature_k=3000.0,
        lights__fill__on=False,
        environment__strength_stops=-1.5,
    )

    def exposed(p: Project) -> CachedRender:
        scene = compiler.compile(moment(p, 1), W, H, "lights")
        film = film_for(scene)
        tracer.expose(film, scene, 256)
        return CachedRender(moment(p, 1), film)

    old, new = exposed(project), exposed(now)
    by = old.gains(moment(now, 1), W, H)
    assert by is not None
    truth = new.develop(np.ones((3, 3), np.float32), "high", True)
    for printed in (old.develop(by, "high", True), (old.split(lambda: False), old.print(by))[1]):
        assert np.abs(printed - truth).mean() < 0.02 * truth.mean()
        assert printed.mean(axis=(0, 1)) == pytest.approx(truth.mean(axis=(0, 1)), rel=0.01)
    untouched = old.gains(moment(project, 1), W, H)
    assert untouched is not None
    old.develop(untouched, "high", True)
    assert np.abs(old.print(untouched) - truth).mean() > 0.2 * truth.mean()


def test_a_film_that_was_cut_short_goes_on(tracer: Tracer) -> None:
    """Cancelled in the middle of a round and exposed on, it holds the same bits as one that was left alone."""
    project, compiler = studio()
    scene = compiler.compile(moment(project, 1), 160, 120, "lights")
    whole, film = film_for(scene), film_for(scene)
    tracer.expose(whole, scene, 8)
    asked = iter(range(1000))
    with pytest.raises(Cancelled):
        tracer.expose(film, scene, 8, 0, lambda: next(asked) > 3)
    assert 0 == film.count.min() < film.count.max() == 8
    told: list[float] = []
    tracer.expose(film, scene, 0, 0, progress=told.append)
    assert (film.count == 8).all()
    assert np.array_equal(film.sums, whole.sums)
    assert np.array_equal(film.apart, whole.apart)
    assert told == sorted(told)
    assert told[-1] == pytest.approx(1.0)


def mean(shown: DevelopedPicture) -> float:
    return float(pixels_of(shown.jpeg).mean())


def test_developing_begins_with_what_is_there(tracer: Tracer) -> None:
    project, compiler = studio()
    developer = ProgressiveRenderer(compiler, tracer)

    def first(p: Project) -> DevelopedPicture:
        return next(developer.pictures(moment(p, 1), W, H))

    seen = list(developer.pictures(moment(project, 1), W, H))
    assert [s.samples for s in seen] == [0, *STEPS, FULL_SAMPLES]
    assert seen[0].width == W // FIRST_SHRINK
    again = list(developer.pictures(moment(project, 1), W, H))
    assert [(s.samples, s.jpeg) for s in again] == [(FULL_SAMPLES, seen[-1].jpeg)]
    # dimming and exposure come from the film, moving does not
    dimmed = first(changed(project, lights__key__strength_stops=-2.0))
    assert (dimmed.samples, dimmed.width) == (FULL_SAMPLES, W)
    assert mean(dimmed) < mean(seen[-1]) - 5
    darker = first(changed(project, tone__offset_stops=-1.0))
    assert mean(darker) < mean(seen[-1]) - 5
    assert next(developer.pictures(moment(project, 2), W, H)).width == W // FIRST_SHRINK


def test_edits_of_light_and_paint_are_guessed_at_full_size(tracer: Tracer) -> None:
    """The first picture after such an edit is the last one, corrected: nearer to the truth than the last one, and
    than the small one stretched."""
    project, compiler = studio()
    project = changed(project, set__sweep__on=True)
    size = 128, 96
    developer = ProgressiveRenderer(compiler, tracer)

    def linear(shown: DevelopedPicture) -> np.ndarray:
        picture = Image.open(io.BytesIO(shown.jpeg)).resize(size, Image.Resampling.BILINEAR)
        return np.asarray(picture, np.float64)

    for path, value in (
        ("look/lights/key/azimuth_deg", -20.0),
        ("materials/m/base_color", [0.1, 0.2, 0.6]),
        ("set/sweep/color", [0.2, 0.1, 0.1]),
        ("look/environment/tilt_deg", 90.0),
    ):
        last = list(developer.pictures(moment(project, 1), *size))[-1]
        now = apply_set(project, SetValue(path=path, value=value))  # type: ignore[arg-type]
        small = next(ProgressiveRenderer(compiler, tracer).pictures(moment(now, 1), *size))
        truth = linear(developer.still(moment(now, 1), *size, 128))
        guessed = next(developer.pictures(moment(now, 1), *size))
        assert (guessed.samples, guessed.width) == (0, size[0])
        off = {
            name: np.sqrt(((linear(s) - truth) ** 2).mean())
            for name, s in (("guess", guessed), ("last", last), ("small", small))
        }
        assert off["guess"] < min(0.5 * off["last"], 0.98 * off["small"]), (path, off)
    for path, value in (("camera/azimuth_deg", 20.0), ("set/disc/on", True), ("look/environment/seen_by_camera", True)):
        now = apply_set(project, SetValue(path=path, value=value))
        assert next(developer.pictures(moment(now, 1), *size)).width == size[0] // FIRST_SHRINK


def test_pictures_tell_how_much_of_the_subject_burns_out(tracer: Tracer) -> None:
    project, compiler = studio()
    ev100 = PickProbe(compiler, tracer).meter([moment(project, 1)])
    metered = changed(project, tone__ev100=ev100)
    developer = ProgressiveRenderer(compiler, tracer, full=8)

    def burnt(stops: float) -> float:
        brighter = changed(metered, tone__offset_stops=stops)
        return list(developer.pictures(moment(brighter, 1), W, H))[-1].burnt

    assert burnt(0.0) == 0.0
    assert TOLD_BURNT < burnt(2.0) < burnt(4.0)
    assert burnt(7.0) > 0.95


def test_progress_counts_what_a_film_that_was_cut_short_has(tracer: Tracer) -> None:
    project, compiler = studio()
    developer = ProgressiveRenderer(compiler, tracer)
    begun = developer.pictures(moment(project, 1), 160, 120)
    assert [next(begun).samples for _ in range(3)] == [0, 2, 8]
    asked = iter(range(1000))
    with pytest.raises(Cancelled):
        list(developer.pictures(moment(project, 1), 160, 120, lambda: next(asked) > 20))
    film = developer._negatives._kept[0].film
    have = film.count.mean()
    assert 8 == film.count.min() < have < film.count.max() == 32
    told: list[float] = []
    again = developer.pictures(moment(project, 1), 160, 120, tell=told.append)
    assert [next(again).samples for _ in range(2)] == [8, 32]
    assert have < told[0] <= have + (32 - have) / 2
    assert told[-1] == pytest.approx(32)


def test_a_light_raised_far_gets_samples_of_its_own(tracer: Tracer) -> None:
    """The old film is shown at what it is worth, until a new one is better."""
    project, compiler = studio()
    developer = ProgressiveRenderer(compiler, tracer)
    weak = changed(project, lights__fill__strength_stops=-4.0)
    list(developer.pictures(moment(weak, 1), W, H))
    samples = [s.samples for s in developer.pictures(moment(project, 1), W, H)]
    assert samples == [32, 32, 96, FULL_SAMPLES]  # 256 / 2³, printed and cleaned as a whole


def test_only_so_many_films_are_kept(tracer: Tracer, monkeypatch: pytest.MonkeyPatch) -> None:
    project, compiler = studio()
    developer = ProgressiveRenderer(compiler, tracer)
    tones = [changed(project, set__sweep__color=[x, x, x]) for x in (0.2, 0.4, 0.6)]
    begun = [developer.pictures(moment(p, 1), W, H) for p in tones]
    for pictures in begun:
        assert [next(pictures).samples for _ in range(2)] == [0, 2]
    size = developer._negatives._kept[0].bytes
    assert [next(developer.pictures(moment(p, 1), W, H)).samples for p in tones] == [2, 2, 2]
    monkeypatch.setattr(cached_render, "KEPT_BYTES", 2.5 * size)
    next(developer.pictures(moment(tones[0], 1), W, H))  # looking at one puts it before the others, the last one goes
    assert [next(developer.pictures(moment(p, 1), W, H)).samples for p in (tones[0], tones[2], tones[1])] == [2, 2, 0]
    monkeypatch.setattr(cached_render, "LAYERS_BYTES", 0)
    plain = list(developer.pictures(moment(changed(project, set__sweep__color=[0.1, 0.1, 0.1]), 1), W, H))
    assert plain[-1].samples == FULL_SAMPLES


def test_a_background_changes_under_the_film(tracer: Tracer) -> None:
    project, compiler = studio()
    project = changed(project, set__sweep__on=False, set__disc__on=False)
    developer = ProgressiveRenderer(compiler, tracer)
    before = list(developer.pictures(moment(project, 1), W, H))[-1]
    white = Background(colour=(1, 1, 1)).model_dump(mode="json")
    after = next(developer.pictures(moment(changed(project, look__background=white), 1), W, H))
    corner = [pixels_of(s.jpeg)[1, 1] for s in (before, after)]
    assert after.samples == FULL_SAMPLES
    assert (corner[1] > 235).all()
    assert (corner[0] < 200).all()
