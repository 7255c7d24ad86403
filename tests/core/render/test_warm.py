"""What is compiled ahead is what the tracer then uses."""

import os
import subprocess
import sys
import textwrap
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import psutil
import pytest
from numba.types import Literal

from cyclorama.core.kernel import kernel, kernel_sources
from cyclorama.core.motion import moment
from cyclorama.core.render import warm
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.warm import compile_apart, kernels_compiled, large_functions
from cyclorama.core.scene import new_project


def test_functions_are_compiled_ahead_for_the_types_the_tracer_gives_them(tracer: Tracer) -> None:
    scene = SceneCompiler(lambda key: b"").compile(moment(new_project("Empty"), 1), 16, 16)
    for function, arguments in large_functions(scene):
        # none at all when the whole kernel came from the cache; other tests call with other rows and with constants
        used = {
            tuple(s) for s in function.signatures if s[0] == arguments[0] and not any(isinstance(x, Literal) for x in s)
        }
        assert used <= {arguments}, function.__name__
        misses = sum(function.stats.cache_misses.values())
        function.compile(arguments)
        assert sum(function.stats.cache_misses.values()) == misses, function.__name__
    assert kernels_compiled()


def test_compiling_apart_ends_when_it_is_not_wanted_and_tells_why_it_cannot(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    kernels = tmp_path / "cyclorama" / "kernels"
    before = {child.pid for child in psutil.Process().children(recursive=True)}
    looks: Counter[int] = Counter()

    def unwanted() -> bool:
        """It compiles, and a helper beside it, which lives."""
        looks.update(child.pid for child in psutil.Process().children(recursive=True) if child.pid not in before)
        return sum(seen >= 5 for seen in looks.values()) >= 2

    compile_apart(unwanted)
    assert len(looks) == 2
    assert not any(_is_running(pid) for pid in looks)
    assert not any(kernels.rglob("complete-*"))
    monkeypatch.setattr(warm, "_COMMAND", (sys.executable, "-c", "raise MemoryError('no room to compile')"))
    with pytest.raises(ChildProcessError, match="MemoryError: no room to compile"):
        compile_apart(lambda: False)


def _is_running(pid: int) -> bool:
    try:
        return psutil.Process(pid).status() != psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:
        return False


def test_kernels_of_another_checkout_do_not_count_as_compiled(tracer: Tracer, monkeypatch: pytest.MonkeyPatch) -> None:
    """Numba knows them by path and time of change, not by what they hold."""
    assert kernels_compiled()
    stat = Path.stat

    def touched(path: Path, **how: bool) -> os.stat_result:
        found = stat(path, **how)
        later = list(found)
        later[8] += 60  # st_mtime
        return os.stat_result(later) if path.name == "bsdf.py" else found

    monkeypatch.setattr(Path, "stat", touched)
    assert not kernels_compiled()
    other = warm._marker()
    other.touch()
    try:
        assert kernels_compiled()
        monkeypatch.undo()
        assert kernels_compiled()  # nor do they make this one's count no more
    finally:
        other.unlink()


def test_cached_kernels_are_those_of_the_numbers_they_import(tmp_path: Path) -> None:
    """A file without kernels counts too when one with kernels takes something from it."""
    kernels, rows, others = tmp_path / "light" / "kernels.py", tmp_path / "rows.py", tmp_path / "others.py"
    kernels.parent.mkdir()
    kernels.write_text("from ..kernel import kernel\nfrom ..rows import COLUMN\n")
    rows.write_text("COLUMN = 3\n")
    others.write_text("COLUMN = 4\n")
    found = kernel_sources(tmp_path)
    assert {kernels, rows} < found
    assert others not in found


def test_processes_that_compile_at_once_do_not_mix_their_versions(tmp_path: Path) -> None:
    """Several processes compile one function for different types into one cache; each version is then the right one."""
    program = textwrap.dedent(
        """
        import sys, numpy as np
        import cyclorama.core.kernel
        from shared import double
        kinds = [np.int8, np.int16, np.int32, np.int64, np.float32, np.float64]
        n = int(sys.argv[1])
        for kind in kinds[n:] + kinds[:n]:
            a = np.arange(3).astype(kind)
            double(a)
            assert a.tolist() == [0, 2, 4], (kind, a)
        """
    )
    (tmp_path / "shared.py").write_text(
        "from cyclorama.core.kernel import kernel\n@kernel\ndef double(a):\n"
        "    for i in range(a.shape[0]):\n        a[i] = a[i] + a[i]\n"
    )
    (tmp_path / "use.py").write_text(program)
    env = os.environ | {"XDG_CACHE_HOME": str(tmp_path / "cache"), "PYTHONPATH": str(tmp_path)}
    for _ in range(2):  # compiling, then from the cache
        running = [subprocess.Popen([sys.executable, str(tmp_path / "use.py"), str(n)], env=env) for n in (0, 2, 4)]
        assert [p.wait(timeout=120) for p in running] == [0, 0, 0]


DAMAGES: dict[str, Callable[[bytes], bytes]] = {
    "emptied": lambda d: b"",
    "cut at the start": lambda d: d[:7],
    "cut in the middle": lambda d: d[: len(d) // 2],
    "cut at the end": lambda d: d[:-1],
    "flipped": lambda d: d[: len(d) // 2] + bytes([d[len(d) // 2] ^ 4]) + d[len(d) // 2 + 1 :],
    "other": lambda d: b"nonsense",
}


@pytest.mark.parametrize("ending", [".nbi", ".nbc"])
def test_a_damaged_cache_is_thrown_away_and_compiled_again(tmp_path: Path, ending: str) -> None:
    """Index or code, cut or flipped: the answer is right, it is said, and the next process finds a sound cache."""
    (tmp_path / "shared.py").write_text(
        "from cyclorama.core.kernel import kernel\n@kernel\ndef double(a):\n    return a + a\n"
    )
    program = (
        "from cyclorama.core.kernel import damaged_entries\nfrom shared import double\n"
        "assert (double(4), double(1.5)) == (8, 3.0)\nprint(len(damaged_entries))"
    )
    env = os.environ | {"XDG_CACHE_HOME": str(tmp_path / "cache"), "PYTHONPATH": str(tmp_path)}

    def found_damaged() -> int:
        ran = subprocess.run([sys.executable, "-c", program], env=env, check=True, capture_output=True, text=True)
        assert ("is damaged; it is compiled again" in ran.stderr) == (ran.stdout != "0\n")
        return int(ran.stdout)

    assert found_damaged() == 0
    files = list((tmp_path / "cache").rglob(f"*{ending}"))
    assert files
    for damage in DAMAGES.values():
        for path in files:
            path.write_bytes(damage(path.read_bytes()))
        assert found_damaged() > 0
        assert found_damaged() == 0


def test_kernels_keep_what_is_not_a_number() -> None:
    """Fast arithmetic must not assume away NaN: guards against it would be compiled out."""

    @kernel
    def guarded(x):  # type: ignore[no-untyped-def]
        return 1.0 if x == x else 0.0

    assert guarded(float("nan")) == 0.0
    assert guarded(2.0) == 1.0
