"""The direction of dependence, documented parameters, and size of modules."""

import ast
from pathlib import Path

import pytest

import cyclorama

ROOT = Path(cyclorama.__file__).parent
ALLOWED = {
    "core": {"core"},
    "store": {"store", "core"},
    "shoot": {"shoot", "store", "core"},
    "demo": {"demo", "core", "store"},
    "gallery": {"gallery"},
    "web": {"web", "gallery", "shoot", "store", "core"},
}
FOREIGN_TO_CORE = {"fastapi", "sqlalchemy", "starlette", "jinja2", "typer", "uvicorn"}
MODULES = sorted(ROOT.rglob("*.py"))


def imported(path: Path) -> set[str]:
    """Absolute dotted names of everything a module imports."""
    package = [ROOT.name, *path.relative_to(ROOT).with_suffix("").parts]
    names = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            names |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = package[: -node.level] if node.level else []
            stem = ".".join([*base, node.module] if node.module else base)
            names |= {stem, *(f"{stem}.{a.name}" for a in node.names)} if node.level else {stem}
    return names


@pytest.mark.parametrize("path", MODULES, ids=lambda p: str(p.relative_to(ROOT)))
def test_imports_point_inwards(path: Path) -> None:
    room = path.relative_to(ROOT).parts[0]
    if room not in ALLOWED:
        return
    ours = {n.split(".")[1] for n in imported(path) if n.startswith("cyclorama.")}
    rooms = {name for name in ours if (ROOT / name).is_dir()}
    assert rooms <= ALLOWED[room]
    if room == "core":
        assert not {n.split(".")[0] for n in imported(path)} & FOREIGN_TO_CORE


RENDER = {"trace": set(), "compile": {"trace"}, "film": {"trace", "compile"}, "passes": {"trace", "compile", "film"}}
"""Rooms of the renderer, and which of the others each may know."""


def test_the_rooms_of_the_renderer_point_one_way() -> None:
    for path in (ROOT / "core" / "render").rglob("*/*.py"):
        room = path.parent.name
        known = {n.split(".")[3] for n in imported(path) if n.startswith("cyclorama.core.render.") and n.count(".") > 3}
        assert known <= RENDER[room] | {room}, path.name


def test_modules_stay_readable() -> None:
    long = {str(p.relative_to(ROOT)): n for p in MODULES if (n := len(p.read_text().splitlines())) > 420}
    assert long == {}
