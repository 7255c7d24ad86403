"""What is kept of a step: enough to have every state again, and little."""

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import create_engine, text
from tests.conftest import diffuse, edited, item_of

from cyclorama.core.patches import apply_patch, difference
from cyclorama.core.scene import Light, Project, new_project
from cyclorama.store import Studio, projects

EXAMPLES = Path(__file__).parents[1] / "patches.json"

plain = st.none() | st.booleans() | st.integers(-3, 3) | st.floats(allow_nan=False) | st.text(max_size=3)
names = st.text(max_size=2)
documents = st.recursive(
    plain, lambda inner: st.lists(inner, max_size=4) | st.dictionaries(names, inner, max_size=4), max_leaves=20
)


@given(before=documents, after=documents)
@settings(max_examples=300, deadline=None)
def test_a_change_leads_from_any_document_to_any_other(before: Any, after: Any) -> None:
    change = difference(before, after)
    assert apply_patch(before, json.loads(json.dumps(change))) == after
    assert (change is None) == (json.dumps(before) == json.dumps(after)) or before == after
    assert difference(after, after) is None


def crowd(name: str) -> Project:
    """A project with many parts, materials and lights."""
    materials = tuple(diffuse().model_copy(update={"id": f"m{i}"}) for i in range(40))
    parts = tuple((f"P{i}", f"m{i % 40}") for i in range(400))
    lights = tuple(Light(id=f"l{i}", name=f"L{i}") for i in range(20))
    item = item_of("a" * 32, *parts)
    return edited(
        new_project(name), {"materials": materials, "items": (item,), "subject_id": item.id, "look/lights": lights}
    )


@pytest.mark.parametrize("case", json.loads(EXAMPLES.read_text()), ids=lambda case: json.dumps(case["change"]))
def test_patches_are_those_that_browsers_read(case: Any) -> None:
    """`tests/js/patches.test.js` reads the same examples."""
    assert difference(case["before"], case["after"]) == case["change"]
    assert apply_patch(case["before"], case["change"]) == case["after"]


def test_every_state_of_a_long_history_is_there_again_and_takes_little(tmp_path: Path) -> None:
    studio = Studio(tmp_path)
    saved = studio.projects.create(crowd("Crowd"))
    key, states = saved.project.id, [saved.project]
    steps: list[dict[str, object]] = [
        {"look/lights/l7/strength_stops": 1.5},
        {"materials/m3/base_color": (0.1, 0.2, 0.3)},
        {"name": "Other"},
        {"subject/variant/parts/p17/visible": False},
        {"shot/frames": 99},
        {"look/lights": tuple(x for x in states[0].look.lights if x.id != "l4")},
        {"look/lights": states[0].look.lights},
    ]
    for i in range(70):
        values = steps[i % len(steps)] | {"camera/focal_mm": 20 + i}
        saved = studio.projects.edit(key, saved.version, "Edit", lambda p, values=values: edited(p, values))
        states.append(saved.project)
    with create_engine(f"sqlite:///{tmp_path / 'studio.sqlite'}").connect() as database:
        rows = database.execute(text("SELECT patch, length(document) FROM history ORDER BY seq")).all()
    whole = [size for patch, size in rows if not patch]
    assert len(whole) == 3
    assert max(size for patch, size in rows if patch) < 3000 < min(whole) / 10
    for by, there in ((-1, states[-2::-1]), (1, states[1:])):
        for state in there:
            saved = studio.projects.step(key, saved.version, by)
            assert saved.project == state
    # what is undone and then edited is gone, the rest is as it was
    saved = studio.projects.step(key, studio.projects.step(key, saved.version, -1).version, -1)
    saved = studio.projects.edit(key, saved.version, "Edit", lambda p: edited(p, name="Branch"))
    assert saved.redo is None
    assert studio.projects.step(key, saved.version, -1).project == states[-3]


def test_the_oldest_states_go_when_no_later_one_needs_them(tmp_path: Path, monkeypatch: Any) -> None:
    monkeypatch.setattr(projects, "KEPT_STATES", 40)
    studio = Studio(tmp_path)
    saved = studio.projects.create(crowd("Crowd"))
    key = saved.project.id
    for i in range(120):
        saved = studio.projects.edit(key, saved.version, "Edit", lambda p, i=i: edited(p, name=f"N{i}"))
    back = 0
    while saved.undo:
        saved = studio.projects.step(key, saved.version, -1)
        back += 1
        assert saved.project.name == f"N{119 - back}"
    assert 39 <= back <= 39 + projects.WHOLE_EVERY
