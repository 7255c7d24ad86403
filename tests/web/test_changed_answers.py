"""A window that tells what it holds is answered with what changed."""

from fastapi.testclient import TestClient
from tests.web.test_api import ball, change, client, put  # noqa: F401  (fixtures)

from cyclorama.core.patches import apply_patch

Answer = tuple[dict, dict[str, str], int]


def test_answers_tell_what_changed_since_what_is_held(client: TestClient, ball: str) -> None:  # noqa: F811
    url = f"/api/projects/{ball}"
    first = client.get(url)
    assert first.headers["content-location"] == url
    state, tag = first.json(), first.headers["etag"].strip('"')
    version = state["version"]
    asked = [
        ("changes", {"base_version": version, "changes": [put("look/lights/key/strength_stops", 1.5)]}),
        ("changes", {"base_version": version + 1, "changes": [put("camera/focal_mm", 80.0)]}),
        ("changes", {"base_version": version + 2, "changes": [{"kind": "add_light", "shape": "tube"}]}),
        ("undo", {"base_version": version + 3}),
        ("redo", {"base_version": version + 4}),
    ]
    for what, body in asked:
        answer = client.post(f"{url}/{what}", json=body, headers={"x-held": tag})
        assert answer.status_code == 200, answer.text
        assert answer.headers["x-change-of"] == tag
        state, tag = apply_patch(state, answer.json()), answer.headers["etag"].strip('"')
        whole = client.get(url)
        assert state == whole.json()
        assert whole.headers["etag"].strip('"') == tag
        if body.get("changes") == [put("look/lights/key/strength_stops", 1.5)]:
            assert len(answer.content) < 0.02 * len(whole.content)
    nothing = client.get(url, headers={"x-held": tag})
    assert nothing.json() is None
    unknown = client.get(url, headers={"x-held": "0" * 24})
    assert "x-change-of" not in unknown.headers
    assert unknown.json() == state
