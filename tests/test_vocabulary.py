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


IRREGULAR = set(
    [
        "begun",
        "bent",
        "beside",
        "built",
        "drawn",
        "driven",
        "found",
        "given",
        "gone",
        "held",
        "kept",
        "known",
        "laid",
        "left",
        "lit",
        "made",
        "met",
        "otherwise",
        "past",
        "said",
        "seen",
        "sent",
        "shown",
        "stood",
        "taken",
        "thrown",
        "told",
        "towards",
        "under",
        "worn",
        "written",
    ]
)
NO_PARTICIPLES = {"embed", "feed", "need", "seed", "speed"}


def test_functions_are_verbs_or_nouns_and_no_bare_participles() -> None:
    found = []
    for path in MODULES:
        functions = [
            n for n in ast.parse(path.read_text()).body if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)
        ]
        for name in {n.name for n in functions if not n.name.startswith("_")} - NO_PARTICIPLES:
            if name in IRREGULAR or (name.endswith("ed") and "_" not in name):
                found.append(f"{path.relative_to(ROOT)}: {name}")
    assert found == []
