"""What the set hides of the environment is aimed at less often; what comes of it stays."""

import dataclasses
from typing import Any

import numpy as np
import pytest
from tests.conftest import diffuse, edited, exposed, plane, project_of

from cyclorama.core.geometry.build import build_sweep
from cyclorama.core.light.direction_bins import ANY_WAY, bin_directions
from cyclorama.core.light.environment import build_environment, environment_turn
from cyclorama.core.light.set_occlusion import STILL_AIMED, Views, with_set_occlusion
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.compile.views import views_of
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Environment, Sweep

UP = int((bin_directions() @ [0.0, 1.0, 0.0]).argmax())


def chances(env: Any, facing: int) -> np.ndarray:
    """Of the large cells (ROWS, COLUMNS)."""
    return np.asarray(np.diff(env.rows[facing])[:, None] * np.diff(env.columns[facing], axis=1))


def test_hidden_cells_keep_a_share_and_other_ways_keep_theirs() -> None:
    """A floor that sees only +X under an even sky; turned by half, that is the other side of the picture."""
    env = build_environment(np.ones((64, 128, 3), np.float32))
    open_x = bin_directions()[:, 0] > 0
    views = Views(np.array([[0.0, 1.0, 0.0]]), open_x[None])
    for turned, side in ((0.0, np.s_[:, 18:30]), (np.pi, np.s_[:, 2:14])):  # +X is right of the middle, or left of it
        known = with_set_occlusion(env, environment_turn(turned, 0.0), views)
        plain, left = chances(env, UP), chances(known, UP)
        assert left.sum() == pytest.approx(1.0, abs=1e-5)
        seen = np.zeros_like(plain, bool)
        seen[side] = True
        other = np.roll(seen, 16, axis=1)
        up = np.s_[3:8]  # near the pole both sides meet
        ratio = (left / plain.clip(1e-12))[up]
        assert ratio[other[up]].mean() / ratio[seen[up]].mean() == pytest.approx(STILL_AIMED, rel=0.02)
        # half of its light is left, and its share of what is hidden
        assert known.strength[UP] / env.strength[UP] == pytest.approx((1 + STILL_AIMED) / 2, abs=0.03)
        away = [k for k in range(ANY_WAY) if bin_directions()[k] @ [0.0, 1.0, 0.0] < 0.9]
        assert np.allclose(known.rows[away], env.rows[away], atol=1e-6)
        assert (known.rows[ANY_WAY] == env.rows[ANY_WAY]).all()


def test_points_of_a_sweep_see_past_it() -> None:
    """The floor of a straight sweep sees straight up and the camera's side, and neither the wall nor below."""
    views = views_of(build_sweep(Sweep(form="straight", width_m=4.0, depth_m=4.0, height_m=3.0)))
    floor = views.normals[:, 1] > 0.999
    assert floor.sum() > 50
    ways = bin_directions()
    assert views.seen[floor][:, UP].all()
    assert views.seen[floor][:, ways[:, 1] < -0.2].mean() < 0.02  # over the edge in front
    front, back = (ways @ [0.0, 0.05, s] > 0.98 for s in (1.0, -1.0))
    assert views.seen[floor][:, front & (ways[:, 1] > 0.02)].mean() > 0.95
    assert views.seen[floor][:, back].mean() < 0.3


def test_denoised_takes_stay_and_are_less_noisy(tracer: Tracer) -> None:
    project, assets = project_of(plane(0.05, 0.01), diffuse())
    values = {
        "set/sweep/on": True,
        "look/environment": Environment(kind="sky"),
        "look/lights": (),
        "shot/shoot/bounces": 1,
    }
    scene = SceneCompiler(assets.__getitem__).compile(moment(edited(project, values), 1), 48, 27)
    env = SceneCompiler(assets.__getitem__)._environment(moment(edited(project, values), 1))[0]
    noise, mean = {}, {}
    for name, one in (("knows", scene), ("does not", dataclasses.replace(scene, environment=env))):
        pictures = np.array([exposed(tracer, one, 4, seed).radiance.mean(axis=2) for seed in range(24)])
        noise[name], mean[name] = float(np.median(pictures.var(axis=0, ddof=1))), float(pictures.mean())
    assert mean["knows"] == pytest.approx(mean["does not"], rel=0.01)
    assert noise["knows"] < 0.88 * noise["does not"]
