"""What `./cyc bench` measures: the rays that it asks again are the rays of the picture, and a cluster that it plays."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import diffuse, edited, plane, project_of

from cyclorama.bench.farm import NETWORK_BYTES_S, Costs, Simulation, efficiency
from cyclorama.bench.rays import ask_all, record
from cyclorama.bench.renderer import structural_similarity
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.trace.arrays import Hits
from cyclorama.core.scene import Light, new_project

KEY = Light(id="key", name="Key", role="key", azimuth_deg=30, elevation_deg=60, distance_m=2)


def test_recorded_rays_are_those_of_the_picture(tracer: Tracer) -> None:
    """Of an even floor that fills the picture, lit by one panel, all is known: every path meets it, and one ray goes
    from there to the light; what is scattered up meets nothing."""
    project, assets = project_of(plane(400.0), diffuse(0.5))
    project = edited(project, look__lights=(KEY,), camera__elevation_deg=60.0)
    scene = SceneCompiler(assets.__getitem__).compile(moment(project, 1), 16, 9)
    film = Film(16, 9)
    tracer.expose(film, scene, 2)
    assert film.alpha.min() == 1.0
    queries = record(scene, 16, 9, 2)
    paths = 16 * 9 * 2
    answers = [q.ask() for q in queries]
    nearest = [(q, a) for q, a in zip(queries, answers, strict=True) if isinstance(a, Hits)]
    met = np.concatenate([a.triangle for _, a in nearest]) >= 0
    assert met.sum() == paths
    assert paths < len(met) <= 2 * paths
    shadows = [(q, a) for q, a in zip(queries, answers, strict=True) if not isinstance(a, Hits)]
    aimed = sum(len(a) for _, a in shadows)
    assert 0.9 * paths < aimed <= paths
    assert all((a == -1).all() for _, a in shadows)
    towards = np.concatenate([q.rays.direction for q, _ in shadows])
    assert (towards[:, 1] > 0).all()
    assert ask_all(queries, 2) > 0.0


def test_likeness_of_even_and_of_shifted_pictures() -> None:
    """Of two even pictures SSIM is (2ab + c₁) / (a² + b² + c₁); noise of its own lowers it, the same picture is 1."""
    a, b = np.full((40, 40, 3), 0.4), np.full((40, 40, 3), 0.6)
    c1 = 0.01**2
    assert np.isclose(structural_similarity(a, b), (2 * 0.4 * 0.6 + c1) / (0.4**2 + 0.6**2 + c1))
    noise = np.random.default_rng(1).normal(0.5, 0.1, (40, 40, 1)).repeat(3, axis=2)
    other = np.random.default_rng(2).normal(0.5, 0.1, (40, 40, 1)).repeat(3, axis=2)
    assert np.isclose(structural_similarity(noise, noise), 1.0)
    assert structural_similarity(noise, other) < 0.2


def test_a_simulated_cluster_does_all_the_work_and_no_more() -> None:
    """One machine without delays does nothing but work; more are sooner done, but never sooner than their share."""
    project = edited(new_project("Farm"), shot__frames=40, shot__shoot__denoise_neighbours=True)
    free = Costs(10.0, 2.0, 0.5, 0, 0, 0, 0.0, 0, 0.0, 0.0)
    assert Simulation(project, free, 1, 2).run() == pytest.approx(80 * 12.5, abs=1)
    found = [efficiency(project, free, machines, 2) for machines in (1, 2, 4, 8, 16)]
    assert all(1.0 >= value > 0.75 for value in found)
    # a wire that takes longer than the work decides: every file comes over the one of the studio
    slow = replace(free, files_bytes=int(50 * NETWORK_BYTES_S))
    assert Simulation(project, slow, 16, 2).run() > 80 * 50
    late = replace(free, start_s=100.0, assets_bytes=int(10 * NETWORK_BYTES_S))
    assert Simulation(project, late, 1, 2).run() == pytest.approx(80 * 12.5 + 110, abs=1)
