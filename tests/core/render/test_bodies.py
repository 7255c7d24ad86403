"""Ray queries against an independent test, for bodies that stand, turn, and turn while the shutter is open."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation
from tests.conftest import sphere

from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.render.trace.arrays import Bodies, Hits, Rays, make_hits, make_scratch
from cyclorama.core.render.trace.bodies import Body, addresses_of, find_blocked, nearest_hits, pose_keys
from cyclorama.core.render.trace.embree import Structure

N = 3000


def soup(seed: int, count: int = 60) -> np.ndarray:
    """Triangles (count, 3, 3) strewn about the origin."""
    rng = np.random.default_rng(seed)
    return rng.normal(size=(count, 1, 3)) + 0.5 * rng.normal(size=(count, 3, 3))


def rays_towards(origin: np.ndarray, to: np.ndarray, time: np.ndarray) -> Rays:
    direction = to - origin
    direction /= np.linalg.norm(direction, axis=1, keepdims=True)
    return Rays(*(x.astype(np.float32) for x in (origin, direction, time)))


def rays(seed: int) -> Rays:
    """N rays past the origin at times in no order."""
    rng = np.random.default_rng(seed)
    return rays_towards(4 * rng.normal(size=(N, 3)), rng.normal(size=(N, 3)), rng.permutation(np.linspace(0, 1, N)))


def standing(*bodies: Body) -> Bodies:
    """Bodies that stay where they were built."""
    keys = np.tile(pose_keys(np.eye(4)[None]), (len(bodies), 1, 1))
    return Bodies(keys, np.zeros(len(bodies), np.uint8), *addresses_of(list(bodies)))


def nearest(where: Bodies, shot: Rays, count: int) -> Hits:
    hits = make_hits(len(shot.time))
    nearest_hits(where, shot, count, make_scratch(), hits)
    return hits


def is_blocked(where: Bodies, shot: Rays, distance: np.ndarray) -> np.ndarray:
    blocked = np.empty(len(distance), np.int32)
    find_blocked(where, shot, distance.astype(np.float32), len(distance), make_scratch(), blocked)
    return blocked >= 0


def plainly(origin: np.ndarray, direction: np.ndarray, triangles: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Distance (n,) and number (n,) of the nearest triangle by solving o + t d = a + u e₁ + v e₂ for all pairs."""
    a, e1, e2 = triangles[:, 0], triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]
    m = np.empty((len(origin), len(triangles), 3, 3))
    m[..., 0], m[..., 1], m[..., 2] = -direction[:, None], e1, e2
    t, u, v = np.moveaxis(np.linalg.solve(m, (origin[:, None] - a)[..., None])[..., 0], -1, 0)
    t = np.where((u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0), t, np.inf)
    nearest = t.argmin(axis=1)
    t = t[np.arange(len(t)), nearest]
    return t, np.where(np.isfinite(t), nearest, -1)


def body_of(triangles: np.ndarray, first: int) -> Body:
    flat = np.arange(3 * len(triangles), dtype=np.int32).reshape(-1, 3)
    return Body(Structure(triangles.reshape(-1, 3).astype(np.float32), flat), first)


def turned(angles_deg: np.ndarray, lift: float = 0.0) -> np.ndarray:
    m = np.tile(np.eye(4), (len(angles_deg), 1, 1))
    m[:, :3, :3] = Rotation.from_rotvec(np.outer(np.radians(angles_deg), [0, 1, 0])).as_matrix()
    m[:, 1, 3] = lift
    return m


@pytest.mark.parametrize("keys", [1, 2, 7])
def test_nearest_hits_and_shadows_of_two_bodies(keys: int) -> None:
    """One body stands, the other turns by up to 3° while rays of all times look at both."""
    still, moving = soup(1), soup(2)
    angles = 40 + np.linspace(0, 3, keys) if keys > 1 else np.array([40.0])
    bodies = [body_of(still, 0), body_of(moving, len(still))]
    where = Bodies(
        np.stack([pose_keys(turned(np.zeros(keys))), pose_keys(turned(angles, 0.3))]),
        np.array([0, 1], np.uint8),
        *addresses_of(bodies),
    )
    shot = rays(3)
    origin, direction, time = (x.astype(np.float64) for x in shot)
    hits = nearest(where, shot, N)
    at = 40 + 3 * time if keys > 1 else np.full(N, 40.0)
    back = Rotation.from_rotvec(np.outer(np.radians(-at), [0, 1, 0]))
    t1, k1 = plainly(origin, direction, still)
    t2, k2 = plainly(back.apply(origin - [0, 0.3, 0]), back.apply(direction), moving)
    truth = np.minimum(t1, t2)
    number = np.where(t2 < t1, np.where(k2 >= 0, k2 + len(still), -1), k1)
    # rays that graze an edge may fall to either side
    same = hits.triangle == number
    assert same.mean() > 0.998
    met = same & (number >= 0)
    assert met.sum() > N // 4
    assert np.abs(hits.t[met] - truth[met]).max() < 1e-3
    assert (hits.body[met] == (number[met] >= len(still))).all()
    limit = np.where(np.isfinite(truth), truth, 50.0) * np.random.default_rng(5).choice([0.99, 1.01], N)
    assert (is_blocked(where, shot, limit) == (truth < limit))[same].mean() > 0.999


def test_only_the_first_rays_are_asked() -> None:
    """Rays beyond n are neither traced nor written to."""
    body = body_of(soup(1), 0)
    few, all_of_them = (nearest(standing(body), rays(3), n) for n in (100, N))
    assert np.array_equal(few.triangle[:100], all_of_them.triangle[:100])
    assert (all_of_them.triangle[100:] >= 0).any()
    assert (few.triangle[100:] == -1).all()


def test_an_empty_studio_is_never_hit() -> None:
    assert (nearest(standing(), rays(3), N).triangle == -1).all()
    assert not is_blocked(standing(), rays(3), np.ones(N)).any()


def test_no_ray_leaves_a_closed_body() -> None:
    """From within a ball every ray meets it, also those aimed at edges that triangles share.

    Of those aimed at a corner to the last bit one in a thousand slips through; chance finds none.
    """
    ball = _without_seam(sphere(0.5, 64))
    body = Body(Structure(ball.vertices, ball.triangles), 0)
    rng = np.random.default_rng(8)
    count = 200_000
    corner = ball.vertices[ball.triangles[rng.integers(0, len(ball.triangles), count)]]
    share = rng.random((count, 1))
    share[::3] = 0  # straight at corners
    target = corner[:, 0] * (1 - share) + corner[:, 1] * share
    origin = rng.uniform(-0.2, 0.2, (count, 3))
    hits = nearest(standing(body), rays_towards(origin, target, np.zeros(count)), count)
    lost = hits.triangle < 0
    at_corner = np.arange(count) % 3 == 0
    assert lost[~at_corner].sum() == 0
    assert lost[at_corner].mean() < 5e-3


def _without_seam(mesh: Mesh) -> Mesh:
    """One vertex a place, so that neighbours share their edges to the last bit; holes at the poles are closed."""
    places, index = np.unique(np.round(mesh.vertices, 6), axis=0, return_inverse=True)
    triangles = index.reshape(-1)[mesh.triangles]
    distinct = (np.diff(np.sort(triangles, axis=1), axis=1) > 0).all(axis=1)
    triangles = triangles[distinct]
    sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    _, often = np.unique(np.sort(sides, axis=1), axis=0, return_counts=True)
    assert (often == 2).all(), "the ball is not closed"
    return Mesh(
        places.astype(np.float32),
        places.astype(np.float32),
        np.zeros((len(places), 2), np.float32),
        triangles.astype(np.int32),
        np.zeros(len(triangles), np.int32),
    )
