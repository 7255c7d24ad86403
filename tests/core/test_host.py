"""Files that processes hold, on systems with and without locks on open file descriptions."""

import subprocess
import sys
from pathlib import Path

import pytest

from cyclorama.core.host import holds
from cyclorama.core.host.holds import hold, is_held

CHILD = """
import sys, time
from pathlib import Path
from cyclorama.core.host import holds
holds.HAS_OFD = sys.argv[1] == "True"
{what}
print("held", flush=True)
time.sleep(600)
"""
HOLDS = "assert holds.hold(Path(sys.argv[2]), shared=len(sys.argv) > 3)"
TAKES_OVER = 'mine = holds.taken_over(sys.argv[sys.argv.index("--given") + 1])'


@pytest.fixture(params=[True, False], ids=["locks", "markers"])
def path(request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    if request.param and not holds.HAS_OFD:
        pytest.skip("This system has no such locks.")
    monkeypatch.setattr(holds, "HAS_OFD", request.param)
    return tmp_path / "some file"


def holder(path: Path, *more: str) -> "subprocess.Popen[bytes]":
    """Another process that holds a file."""
    command = [sys.executable, "-c", CHILD.format(what=HOLDS), str(holds.HAS_OFD), str(path), *more]
    child = subprocess.Popen(command, stdout=subprocess.PIPE)
    assert child.stdout is not None
    assert child.stdout.readline() == b"held\n"
    return child


def test_a_file_is_held_until_its_holder_ends_however_it_ends(path: Path) -> None:
    assert not is_held(path)
    child = holder(path)
    try:
        assert is_held(path)
        assert hold(path) is None
        assert hold(path, shared=True) is None
    finally:
        child.kill()
        child.wait()
    assert not is_held(path)
    mine = hold(path)
    assert mine is not None
    assert is_held(path)
    mine.close()
    assert not is_held(path)


def test_those_who_share_keep_out_whoever_wants_it_alone(path: Path) -> None:
    child = holder(path, "shared")
    try:
        mine = hold(path, shared=True)
        assert mine is not None
        assert hold(path) is None
        mine.close()
        assert hold(path) is None
    finally:
        child.kill()
        child.wait()
    mine = hold(path)
    assert mine is not None
    mine.close()


def test_a_hold_is_handed_to_a_process_from_its_birth_on(path: Path) -> None:
    mine = hold(path)
    assert mine is not None
    command = [sys.executable, "-c", CHILD.format(what=TAKES_OVER), str(holds.HAS_OFD)]
    child = mine.hand_over(command, "--given", stdout=subprocess.PIPE)
    try:
        assert is_held(path)
        assert child.stdout is not None
        assert child.stdout.readline() == b"held\n"
        assert hold(path) is None
    finally:
        child.kill()
        child.wait()
    assert not is_held(path)
