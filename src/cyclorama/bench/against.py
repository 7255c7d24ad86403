"""`./cyc bench --against REV`: how much picture a second gives, beside another version of the program.

Both versions expose the same frames in turn, in processes of their own; the other one's files are a git worktree that
is removed again. Figures: efficiency 1 / (relMSE · seconds) of the raw picture (relMSE: squared error of luminance over
the square of the truth plus 0.01), and FLIP (Andersson et al., HPG 2020) of the denoised picture as it is shown against
a denoised one of many samples, with the time that it takes to come under what draft, fine and print want.
"""

import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Any

import flip_evaluator
import numpy as np

from ..core.colour import LUMA32
from ..core.errors import CycloramaError

WIDTH, HEIGHT, FRAME, SEEDS = 640, 360, 20, 3
LEVELS = [4, 8, 16, 32, 64]
REFERENCE = 512
RAW = 8
"""Samples of the raw pictures that are compared."""
WANTED = {"draft": 0.05, "fine": 0.03, "print": 0.02}
DARK = 0.01


def run_against(revision: str, tell: Callable[[str], None]) -> None:
    """Measure and print both versions; takes as long as the references do."""
    root = Path(__file__).parents[3]
    with tempfile.TemporaryDirectory() as folder:
        tree = Path(folder) / "tree"
        _git(root, "worktree", "add", "--detach", str(tree), revision)
        try:
            for name in ("storm-glass", "harbour-lantern"):
                _compare(name, root, tree, Path(folder), tell)
        finally:
            _git(root, "worktree", "remove", "--force", str(tree))


def _git(root: Path, *command: str) -> None:
    done = subprocess.run(["git", "-C", str(root), *command], capture_output=True, text=True, check=False)
    if done.returncode:
        raise CycloramaError(f"git {command[0]} did not work: {done.stderr.strip()}")


def _compare(name: str, root: Path, tree: Path, folder: Path, tell: Callable[[str], None]) -> None:
    probe = Path(__file__).with_name("probe.py")

    def ask(source: Path, levels: list[int], seeds: int, full: bool = False) -> dict[str, Any]:
        out = folder / "found.npz"
        wanted = {
            "name": name,
            "frame": FRAME,
            "width": WIDTH,
            "height": HEIGHT,
            "levels": levels,
            "seeds": seeds,
            "full": full,
            "out": str(out),
        }
        environment = {**os.environ, "PYTHONPATH": str(source / "src")}
        subprocess.run([sys.executable, str(probe), json.dumps(wanted)], env=environment, check=True)
        with np.load(out) as found:
            return dict(found)

    tell(f"{name}: {REFERENCE} samples of the truth …")
    many = ask(root, [REFERENCE], 1, full=True)
    truth = Truth(many[f"raw {REFERENCE}"][0], many[f"shown {REFERENCE}"][0], many["subject"])
    tell(f"{'':10}{'samples':>8}{'seconds':>9}{'relMSE':>10}{'set':>9}{'subject':>9}{'FLIP':>8}{'subject':>9}")
    lines = {
        label: [truth.judged(ask(source, [level], SEEDS), level) for level in LEVELS]
        for label, source in (("before", tree), ("now", root))
    }
    for label, judged in lines.items():
        for j in judged:
            tell(
                f"{label:10}{j.samples:8d}{j.seconds:9.2f}{j.error:10.4f}{j.set_error:9.4f}{j.subject_error:9.4f}"
                f"{j.flip:8.4f}{j.subject_flip:9.4f}"
            )
    a, b = (next(j for j in judged if j.samples == RAW) for judged in lines.values())
    tell(
        f"efficiency of {RAW} raw samples: whole × {a.error * a.seconds / (b.error * b.seconds):.1f}, "
        f"set × {a.set_error * a.seconds / (b.set_error * b.seconds):.1f}, typical pixel "
        f"× {a.typical * a.seconds / (b.typical * b.seconds):.1f}"
    )
    for quality, wanted in WANTED.items():
        then, now = (time_to(judged, wanted) for judged in lines.values())
        if then is not None and now is not None:
            tell(f"{quality}, FLIP {wanted}: {then:.1f} s before, {now:.1f} s now, × {then / now:.2f}")


@dataclass(frozen=True, slots=True)
class Judged:
    """Pictures of so many samples."""

    samples: int
    seconds: float
    error: float
    set_error: float
    subject_error: float
    typical: float
    flip: float
    subject_flip: float


@dataclass(frozen=True, slots=True)
class Truth:
    """Reference picture: linear, as displayed, and a mask of the subject."""

    raw: np.ndarray
    shown: np.ndarray
    subject: np.ndarray

    def judged(self, found: dict[str, Any], level: int) -> Judged:
        true = self.raw @ LUMA32
        error = np.mean([(x @ LUMA32 - true) ** 2 for x in found[f"raw {level}"]], axis=0) / (true**2 + DARK)
        maps = [flip_evaluator.evaluate(self.shown, x, "LDR", applyMagma=False)[0] for x in found[f"shown {level}"]]
        flip, on = np.mean(maps, axis=0).reshape(true.shape), self.subject > 0.5
        errors = error.mean(), error[~on].mean(), error[on].mean(), np.median(error), flip.mean(), flip[on].mean()
        return Judged(level, float(found[f"seconds {level}"].min()), *(float(e) for e in errors))


def time_to(judged: list[Judged], wanted: float) -> float | None:
    """Seconds until FLIP is as low as wanted, between what was measured; None where it never is."""
    log = [(np.log(j.flip), np.log(j.seconds)) for j in judged]
    for (f0, s0), (f1, s1) in pairwise(log):
        if f1 <= np.log(wanted) <= f0:
            return float(np.exp(s0 + (s1 - s0) * (f0 - np.log(wanted)) / (f0 - f1)))
    return float(np.exp(log[0][1])) if log[0][0] <= np.log(wanted) else None
