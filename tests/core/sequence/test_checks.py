"""Checks of sequences made by hand: what was planted is found, and nothing else."""

import numpy as np
import pytest

from cyclorama.core.sequence.checks import Checked, FrameLook, banded_share, check_sequence, look_at, specks_in

H, W = 90, 160


def picture(i: int, n: int = 12) -> np.ndarray:
    """A ball that goes round on a soft background with a little noise, display values."""
    y, x = np.mgrid[0:H, 0:W].astype(np.float32)
    a = 2 * np.pi * i / n
    ball = np.exp(-((x - 80 - 40 * np.cos(a)) ** 2 + (y - 45 - 20 * np.sin(a)) ** 2) / 150)
    base = 0.3 + 0.45 * ball + 0.0035 * np.random.default_rng(i).standard_normal((H, W))
    return np.repeat(base[..., None], 3, axis=2).astype(np.float32)


def looks(change: dict[int, np.ndarray] | None = None, n: int = 12) -> list[FrameLook]:
    change = change or {}
    frames = [change.get(i, picture(i - 1, n)) for i in range(1, n + 1)]
    return [look_at(i, np.clip(np.nan_to_num(f), 0, 1), f) for i, f in enumerate(frames, 1)]


def checked(seen: list[FrameLook], **more: object) -> Checked:
    told = {"unreadable": {}, "missing": [], "alike": set()} | more
    return check_sequence(seen, range(1, 13), (W, H), True, **told)  # type: ignore[arg-type]


def kinds(found: Checked) -> dict[str, list[int]]:
    return {f.kind: f.frames for f in found.findings}


def test_a_sound_loop_has_no_findings() -> None:
    found = checked(looks())
    assert found.findings == []
    assert found.sentence == "All 12 frames looked at: nothing wrong."
    assert len(found.steps) == len(found.flicker) == len(found.numbers) == 12
    assert found.steps[0] == pytest.approx(np.median(found.steps), rel=0.5)  # over the seam


def test_planted_faults_are_found_in_their_frames() -> None:
    with_speck = picture(4)
    with_speck[20, 30] = 40.0
    broken = picture(6)
    broken[5, 5] = np.nan
    found = kinds(checked(looks({3: np.zeros((H, W, 3), np.float32), 5: with_speck, 7: broken, 10: picture(8)})))
    assert found["black"] == [3]
    assert found["fireflies"] == [5]
    assert found["not numbers"] == [7]
    assert found["doubled"] == [10]
    assert 3 in found["flicker"]
    assert set(found) == {"black", "fireflies", "not numbers", "doubled", "flicker", "crushed"}


def test_frames_that_are_meant_to_be_the_same_are_not_doubled() -> None:
    assert kinds(checked(looks({10: picture(8)}), alike={(9, 10)})) == {}


def test_missing_damaged_and_wrongly_sized_frames_are_named() -> None:
    seen = [x for x in looks() if x.number not in (4, 8)]
    seen[0] = look_at(1, picture(0)[:60, :100], None)
    found = checked(seen, missing=[4], unreadable={8: "It ends too early."})
    grave = {f.kind: f.frames for f in found.findings if f.grave}
    assert grave == {"missing": [4], "damaged": [8], "size": [1]}
    assert all("shoot again" in f.offers for f in found.findings if f.grave)
    assert found.sentence.startswith("10 of 12 frames looked at: 3 faults")


def test_a_jump_of_light_is_flicker_and_a_pan_is_not() -> None:
    assert kinds(checked(looks({6: picture(5) * 1.05}))) == {"flicker": [6]}
    x = np.tile(np.arange(W), (H, 1))
    bars = [np.repeat((0.3 + 0.2 * np.sin((x + 3 * i) / 6.0))[..., None], 3, 2).astype(np.float32) for i in range(12)]
    seen = [look_at(i + 1, b, None) for i, b in enumerate(bars)]
    assert "flicker" not in kinds(check_sequence(seen, range(1, 13), (W, H), False, {}, [], set()))


def test_a_loop_that_jumps_is_told() -> None:
    cut_off = [look_at(i, picture(i - 1, 24), None) for i in range(1, 13)]  # half a round
    assert kinds(checked(cut_off))["seam"] == [12, 1]


def test_a_highlight_that_stays_is_no_firefly() -> None:
    seen = []
    for i in range(12):
        frame = picture(i)
        frame[20 + i // 4, 30 + i // 3] = 30.0
        seen.append(look_at(i + 1, np.clip(frame, 0, 1), frame))
    assert "fireflies" not in kinds(checked(seen))


def test_specks_are_single_pixels_and_not_glitter() -> None:
    light = np.full((50, 80), 0.1, np.float32)
    light[10, 20] = 5.0
    light[30:33, 40:43] = 5.0  # something that shines
    assert specks_in(light) == ((20.5 / 80, 10.5 / 50),)
    light[::3, ::3] = 5.0
    assert specks_in(light) == ()


def test_bands_are_seen_in_slow_gradients_without_noise() -> None:
    slow = np.tile(np.linspace(0.2, 0.3, 640, dtype=np.float32), (200, 1))
    assert banded_share(slow) > 0.9
    noisy = slow + (np.random.default_rng(0).standard_normal(slow.shape) * 0.8 / 255).astype(np.float32)
    assert banded_share(noisy) < 0.05
    steep = np.tile(np.linspace(0.0, 1.0, 640, dtype=np.float32), (200, 1))
    assert banded_share(steep) < 0.05
    assert banded_share(np.full((100, 100), 0.3, np.float32)) == 0.0


def test_nothing_to_look_at_is_said() -> None:
    found = check_sequence([], range(1, 13), (W, H), True, {}, list(range(1, 13)), set())
    assert found.sentence == "No frame can be looked at yet."
    assert kinds(found) == {"missing": list(range(1, 13))}


def test_a_subject_that_is_cut_off_is_told_for_every_format() -> None:
    found = checked(looks(), cut={"the picture": [3], "the format 9:16": [2, 3, 4]})
    assert [(f.kind, f.frames) for f in found.findings] == [("margin", [3]), ("margin", [2, 3, 4])]
    assert found.findings[1].sentence == "The subject leaves the format 9:16 in frames 2 to 4."
