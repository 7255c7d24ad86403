"""Names and docstrings that a reader finds their way by."""

import ast
import re
from collections import defaultdict
from pathlib import Path

import cyclorama

ROOT = Path(cyclorama.__file__).parent
MODULES = [p for p in sorted(ROOT.rglob("*.py")) if "migrations" not in p.parts]
NO_NOUNS = {"What", "Who", "How", "Whether", "That"}
"""Beginnings after which a reader must run the code to learn what a sentence is about."""


def test_every_public_class_has_a_name_of_its_own() -> None:
    where = defaultdict(list)
    for path in MODULES:
        for node in ast.parse(path.read_text()).body:
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                where[node.name].append(str(path.relative_to(ROOT)))
    assert {name: paths for name, paths in where.items() if len(paths) > 1} == {}


def test_docstrings_begin_with_the_thing_they_are_about() -> None:
    found = []
    for path in MODULES:
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
                text = ast.get_docstring(node)
                if text and text.split()[0].strip(",.:") in NO_NOUNS:
                    found.append(f"{path.relative_to(ROOT)}: {text[:60]}")
    assert found == []


def test_the_glossary_points_at_modules_that_exist() -> None:
    text = (ROOT.parents[1] / "docs" / "glossary.md").read_text()
    named = set(re.findall(r"`((?:core|shoot|store|app|cli|web|js)/[\w/]+(?:\.py|\.js)?)`", text))
    assert len(named) > 40
    places = {name: ROOT / (f"web/static/{name}" if name.startswith("js/") else name) for name in named}
    assert [name for name, place in places.items() if not place.exists()] == []
