"""Compilation of kernels: one place for the options, so that every kernel is cached and releases the GIL."""

import hashlib
import logging
import os
import pickle
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import numba
from numba import njit
from numba.core.caching import Cache, IndexDataCacheFile

from .host.holds import alone

F = TypeVar("F", bound=Callable[..., object])


def kernel_sources(root: Path) -> set[Path]:
    """Files below a folder that hold kernels, and those that these import from."""
    found = {Path(__file__)}
    for path in root.rglob("*.py"):
        text = path.read_text(encoding="utf-8")
        if re.search(r"^from .*kernel import", text, re.MULTILINE):
            found.add(path)
            for dots, name in re.findall(r"^from (\.+)([\w.]+) import", text, re.MULTILINE):
                source = path.parents[len(dots) - 1].joinpath(*name.split(".")).with_suffix(".py")
                if source.exists():
                    found.add(source)
    return found


def cache_home() -> Path:
    """Folder of everything that can be made again (XDG Base Directory Specification)."""
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "cyclorama"


def kernel_cache_folder() -> Path:
    """Where compiled kernels are kept.

    Numba invalidates a cached kernel when its own file changes, but not when a function it calls does or a number it
    takes from elsewhere: so the folder is named after the contents of every file that may hold a kernel, and of those
    that these import from.
    """
    digest = hashlib.sha256(numba.__version__.encode())
    for path in sorted(kernel_sources(Path(__file__).parent)):
        digest.update(path.read_bytes())
    return cache_home() / "kernels" / digest.hexdigest()[:16]


for _setting, _value in (
    ("CACHE_DIR", str(kernel_cache_folder())),
    ("SLP_VECTORIZE", 1),  # the three parts of vectors and colours side by side: 4 % of a pass, no longer to compile
):
    setattr(numba.config, _setting, _value)

_save = IndexDataCacheFile.save
_save_overload = Cache.save_overload
_load = IndexDataCacheFile.load
_SEAL = 32
"""Bytes of the sum in front of a file of the cache."""
_log = logging.getLogger(__name__)
damaged_entries: list[str] = []
"""Compiled functions that were found damaged and thrown away in this process."""


def _save_alone(self: IndexDataCacheFile, key: object, data: object) -> None:
    """Numba reads, changes and writes a function's index of compiled versions without a lock; processes that compile
    at the same time could lead each other to the wrong version."""
    with alone(Path(self._cache_path, "lock")):
        try:
            self._load_index()
        except Exception:
            _throw_away(self)
        _save(self, key, data)


def _save_where_allowed(self: Cache, signature: object, data: object) -> None:
    """A process that may only read the cache (one that reads foreign files) compiles for itself."""
    try:
        _save_overload(self, signature, data)
    except PermissionError:
        _log.warning("The kernel %s is not in the cache, and is compiled by every reader", self._name)


def _load_sound(self: IndexDataCacheFile, key: object) -> object:
    """The entry of the cache, or None where it is damaged: it is compiled again then."""
    try:
        return _load(self, key)
    except Exception:  # whatever a damaged pickle can raise
        _throw_away(self)
        return None


def _throw_away(self: IndexDataCacheFile) -> None:
    damaged_entries.append(self._index_name)
    _log.warning("The compiled kernel %s is damaged; it is compiled again", self._index_name)
    Path(self._index_path).unlink(missing_ok=True)


def _write_sealed(self: IndexDataCacheFile, path: str, content: object) -> None:
    """With its sum in front: an index or code with a flipped bit would still load, and end the process."""
    payload = self._dump(content)
    with self._open_for_write(path) as file:
        file.write(hashlib.sha256(payload).digest() + payload)


def _read_sealed(path: str) -> Any:
    content = Path(path).read_bytes()
    if hashlib.sha256(content[_SEAL:]).digest() != content[:_SEAL]:
        raise ValueError("the sum does not fit")
    return pickle.loads(content[_SEAL:])


def _save_data(self: IndexDataCacheFile, name: str, data: object) -> None:
    _write_sealed(self, self._data_path(name), data)


def _load_data(self: IndexDataCacheFile, name: str) -> object:
    return _read_sealed(self._data_path(name))


def _save_index(self: IndexDataCacheFile, overloads: object) -> None:
    _write_sealed(self, self._index_path, (self._version, self._source_stamp, overloads))


def _load_index(self: IndexDataCacheFile) -> object:
    try:
        version, stamp, overloads = _read_sealed(self._index_path)
    except FileNotFoundError:
        return {}
    return overloads if (version, stamp) == (self._version, self._source_stamp) else {}


for _name, _method in {
    "save": _save_alone,
    "load": _load_sound,
    "_save_data": _save_data,
    "_load_data": _load_data,
    "_save_index": _save_index,
    "_load_index": _load_index,
}.items():
    setattr(IndexDataCacheFile, _name, _method)
Cache.save_overload = _save_where_allowed  # type: ignore[method-assign]

_CONTRACT = {"contract", "nsz", "arcp", "afn", "reassoc"}
"""Fused and reordered arithmetic is welcome; NaN and infinity keep their meaning."""


_OPTIONS: Any = {
    "nogil": True,
    "cache": True,
    "fastmath": _CONTRACT,
    "error_model": "numpy",
    # Kernels allocate nothing and only read and write arrays that their caller holds. Counting references to
    # views of them would cost more than the shading itself, and make threads fight over the counters.
    "_nrt": False,
    "no_cfunc_wrapper": True,
}
_INNER: Any = {**_OPTIONS, "no_cpython_wrapper": True}
"""Only called by other kernels: the wrapper that takes Python's objects apart would double the time to compile.
From Python, `function.py_func` runs it uncompiled."""


def kernel(function: F) -> F:
    """Compile on first use, cache on disk, release the GIL while running. May not allocate arrays."""
    compiled: F = njit(**_OPTIONS)(function)
    return compiled


def device(function: F) -> F:
    """A small function that kernels call; always inlined, so keep it small or call it in few places."""
    compiled: F = njit(**_INNER, forceinline=True)(function)
    return compiled


def from_python(function: F) -> F:
    """Wrap a `device` or `routine` so that Python can call it. Every process compiles the wrapper anew."""

    def called(*arguments: object) -> object:
        return function(*arguments)

    compiled: F = njit(**{**_OPTIONS, "cache": False})(called)
    return compiled


def routine(function: F) -> F:
    """A larger function that kernels call; compiled once and called."""
    compiled: F = njit(**_INNER)(function)
    return compiled
