"""Circles among modules, the order of rooms in the browser, and the size of modules."""

import ast
import re
from graphlib import TopologicalSorter
from pathlib import Path

import cyclorama

ROOT = Path(cyclorama.__file__).parent
SCRIPTS = ROOT / "web" / "static" / "js"
MODULES = sorted(ROOT.rglob("*.py"))


def name_of(path: Path) -> str:
    """Dotted name of a module."""
    return ".".join([ROOT.name, *path.relative_to(ROOT).with_suffix("").parts]).removesuffix(".__init__")


def imported(path: Path) -> set[str]:
    """Dotted names of our own modules that a module imports, also inside its functions."""
    package, found = [ROOT.name, *path.relative_to(ROOT).with_suffix("").parts], set[str]()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.level:
            stem = ".".join([*package[: -node.level], *((node.module or "").split("."))]).rstrip(".")
            found |= {inner if (inner := f"{stem}.{a.name}") in NAMED else stem for a in node.names}
    return found & NAMED.keys()


NAMED = {name_of(path): path for path in MODULES if path != ROOT / "__init__.py"}


def test_modules_form_no_circles() -> None:
    """`lint-imports` keeps the order of the rooms."""
    known = {name: imported(path) - {name} for name, path in NAMED.items()}
    assert list(TopologicalSorter(known).static_order())  # raises CycleError, which names them


BELOW = {
    "shared": set(),
    "stock": {"shared"},
    "lens": {"shared", "plan"},
    "plan": {"shared"},
    "strip": {"shared"},
    "cards": {"shared", "stock"},
    "studio": {"shared", "stock", "lens", "plan", "strip", "cards"},
    "screening": {"shared"},
    "cut": {"shared"},
    "wall": {"shared"},
    "shoots": {"shared"},
    "access": {"shared"},
    "bin": {"shared"},
    "guide": {"shared"},
}
"""What each room of scripts may import from."""


def script_imports(path: Path) -> set[Path]:
    return {
        (path.parent / name).resolve() for name in re.findall(r'^import .*? from "(\..+?)";', path.read_text(), re.M)
    }


def test_scripts_keep_the_order_of_their_rooms_and_form_no_circles() -> None:
    scripts = {path: script_imports(path) for path in SCRIPTS.rglob("*.js")}
    assert list(TopologicalSorter(scripts).static_order())
    for path, wanted in scripts.items():
        room = path.relative_to(SCRIPTS).parts[0]
        others = {p.relative_to(SCRIPTS).parts[0] for p in wanted if "vendor" not in p.parts} - {room}
        assert others <= BELOW[room], path.name


def test_modules_stay_readable() -> None:
    everything = [*MODULES, *SCRIPTS.rglob("*.js")]
    long = {str(p.relative_to(ROOT)): n for p in everything if (n := len(p.read_text().splitlines())) > 420}
    assert long == {}


MAY_COPY = {"core/scene/writing.py", "core/geometry/report.py", "gallery/kept.py", "store/takes.py"}
"""The writer itself; and values that are no documents: reports, uploads of the gallery, slates."""


def test_documents_are_written_in_one_place() -> None:
    """`put`, lists and `revise` check what they write; a bare copy of a pydantic model does not."""
    copying = {str(p.relative_to(ROOT)) for p in MODULES if ".model_copy(" in p.read_text()}
    assert {c for c in copying if not c.startswith("core/geometry/read/")} <= MAY_COPY


WRITERS = {"put", "put_all", "revise", "insert_item", "remove_item", "move_item", "perform"}


def test_review_never_writes() -> None:
    for path in (ROOT / "core" / "review").glob("*.py"):
        taken = {
            a.name for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.ImportFrom) for a in n.names
        }
        assert not taken & WRITERS, path.name
