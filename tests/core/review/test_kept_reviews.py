"""Reviews are kept while what they depend on stays the same."""

import dataclasses
from typing import Any

import numpy as np
import pytest
from tests.conftest import sphere
from tests.core.scene.test_place import PATHS, at, furnished

from cyclorama.core.geometry.measure import measure
from cyclorama.core.review import measures as review_measures
from cyclorama.core.review import review
from cyclorama.core.review.measures import MEASURED, Review
from cyclorama.core.scene import Project, place_of, put, value_at

KINDS = "number", "whole", "switch", "choice", "text"
BALL = measure(sphere(0.2, 24))


def plain(value: Any) -> Any:
    """A value of a review as something that can be compared."""
    if isinstance(value, np.ndarray):
        return value.tobytes(), value.shape
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return [plain(getattr(value, f.name)) for f in dataclasses.fields(value)]
    if isinstance(value, dict):
        return {name: plain(inner) for name, inner in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain(inner) for inner in value]
    return value


def measured(project: Project) -> Any:
    found: Review = review_measures._reviewed(project, BALL)
    return [plain(getattr(found, f.name)) for f in dataclasses.fields(found) if f.name != "project"]


def other(value: Any, path: str) -> Any:
    place = place_of(path)
    if place.kind == "switch":
        return not value
    if place.kind == "choice":
        return next(
            same
            for choice, _ in place.choices
            if (same := type(value)(choice) if value is not None else choice) != value
        )
    if place.kind == "text":
        return f"{value} more"
    return place.least if value != place.least else value + 1


def test_values_that_reviews_do_not_depend_on_change_nothing_in_them() -> None:
    project = furnished()
    before, tried = measured(project), 0
    for path in PATHS:
        place, here = place_of(path), at(project, path)
        if (
            place.affects in MEASURED
            or place.fixed
            or place.kind not in ("number", "whole", "switch", "choice", "text")
        ):
            continue
        tried += 1
        assert measured(put(project, here, other(value_at(project, here), path))) == before, path
    assert tried > 100


def test_a_kept_review_is_that_of_the_document_as_it_is(monkeypatch: pytest.MonkeyPatch) -> None:
    project = furnished()
    first = review(project, BALL)
    monkeypatch.setattr(review_measures, "_reviewed", None)  # nothing is measured again
    lighter = put(project, "look/lights/key/strength_stops", 1.0)
    again = review(lighter, BALL)
    assert again.project is lighter
    assert again.poses is first.poses
    for changed in (put(project, "camera/focal_mm", 50.0), put(project, "look/lights/key/name", "Window")):
        with pytest.raises(TypeError):
            review(changed, BALL)
    with pytest.raises(TypeError):
        review(project, measure(sphere(0.3, 24)))
