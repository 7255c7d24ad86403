"""Every operation of the JSON interface, asked by chance and with what is really there: never a server error.

schemathesis makes requests from the interface's own description, sound ones and such that it forbids.
"""

import random
from collections import Counter
from collections.abc import Iterator

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis.errors import Unsatisfiable
from tests.core.geometry.test_intake import glb
from tests.web.test_api import change, intake, put

from cyclorama.app import takes as take_service
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.shoot.run import watch, worker
from cyclorama.shoot.run.take import shoot_take
from cyclorama.web.app import create_app

HOME = "http://127.0.0.1"
EXAMPLES = {schemathesis.GenerationMode.POSITIVE: 3, schemathesis.GenerationMode.NEGATIVE: 2}


@pytest.fixture(scope="module")
def studio_in_use(tmp_path_factory: pytest.TempPathFactory, tracer: Tracer) -> Iterator[tuple[object, dict[str, str]]]:
    """A studio with a model on the set and a take, and what its parts are called."""
    folder = tmp_path_factory.mktemp("contract")
    app = create_app(folder)
    with pytest.MonkeyPatch.context() as patch, TestClient(app, base_url=HOME) as client:
        patch.setattr(worker, "start_worker", lambda folder: None)
        patch.setattr(watch, "start_worker", lambda folder: None)
        job = intake(client, "/api/intakes", {"ball.glb": glb()})
        key = job["result"]["project"]
        version = client.get(f"/api/projects/{key}").json()["version"]
        small = {
            "shot/shoot/width": 32,
            "shot/shoot/height": 24,
            "shot/shoot/samples": 1,
            "shot/frames": 3,
            "shot/shoot/denoise": False,
            "shot/shoot/passes/wanted": ["lights", "clay"],
        }
        assert change(client, key, version, *(put(p, v) for p, v in small.items())).status_code == 200
        studio = app.state.context.studio
        take = take_service.call_take(studio, studio.projects.get(key), start=False)
        assert shoot_take(studio, take.id, tracer) == "done"
        asset = studio.projects.get(key).project.subject.asset
        yield app, {"project_id": key, "take_id": take.id, "job_id": job["id"], "asset": asset}


NEEDED = {("DELETE", "/api/projects/{project_id}"), ("DELETE", "/api/takes/{take_id}")}
"""Asked of nobody, because what is there is still needed."""
CHOICES = {"action": ["pause", "stop", "resume"], "name": ["clay", "lights"], "number": [1, 2, 3]}


@pytest.mark.parametrize("mode", [schemathesis.GenerationMode.POSITIVE, schemathesis.GenerationMode.NEGATIVE])
def test_no_request_is_a_server_error(
    studio_in_use: tuple[object, dict[str, str]], mode: schemathesis.GenerationMode
) -> None:
    app, known = studio_in_use
    description = schemathesis.openapi.from_asgi("/openapi.json", app, headers={"host": "127.0.0.1"})
    answers: Counter[tuple[str, int]] = Counter()
    for found in description.get_all_operations():
        operation = found.ok()
        if mode == schemathesis.GenerationMode.POSITIVE or _can_be_wrong(operation):
            _ask(operation, mode, known, answers)
    # it was mostly there, or mostly refused for what was wrong with it
    sound = mode == schemathesis.GenerationMode.POSITIVE
    usual, fewest = (200, 30) if sound else (422, 15)
    assert len({path for path, _ in answers}) >= fewest
    assert sum(n for (_, code), n in answers.items() if code == usual) > 0.3 * answers.total()


def _can_be_wrong(operation) -> bool:  # type: ignore[no-untyped-def]
    """Whether anything is asked of what is sent: of names in paths that may be any, it would take long to find out."""
    named = (parameter.definition["schema"] for parameter in operation.path_parameters)
    limited = any({**schema, "title": None} != {"type": "string", "title": None} for schema in named)
    return limited or len(operation.body) > 0 or len(operation.query) > 0


def _ask(operation, mode, known: dict[str, str], answers: "Counter[tuple[str, int]]") -> None:  # type: ignore[no-untyped-def]
    dice = random.Random(operation.path)

    @given(case=operation.as_strategy(generation_mode=mode))
    @settings(
        max_examples=EXAMPLES[mode],
        deadline=None,
        derandomize=True,
        phases=[Phase.generate],
        database=None,
        suppress_health_check=list(HealthCheck),
    )
    def ask(case: schemathesis.Case) -> None:
        for name in case.path_parameters if dice.random() < 0.85 else ():
            if name in known:
                case.path_parameters[name] = known[name]
            elif name in CHOICES and mode == schemathesis.GenerationMode.POSITIVE:
                case.path_parameters[name] = dice.choice(CHOICES[name])
        if (case.method.upper(), operation.path) in NEEDED:
            case.path_parameters = dict.fromkeys(case.path_parameters, "nobody")
        response = case.call(headers={"host": "127.0.0.1"}, timeout=60)
        answers[operation.path, response.status_code] += 1
        assert response.status_code < 500, f"{case.as_curl_command()}: {response.text}"
        if response.status_code >= 400:
            assert response.json()["error"]

    try:
        ask()
    except Unsatisfiable:
        assert mode == schemathesis.GenerationMode.NEGATIVE  # nothing of it can be wrong


def test_numbers_that_are_none(studio_in_use: tuple[object, dict[str, str]]) -> None:
    """What the description forbids and a browser's own code could still send."""
    app, known = studio_in_use
    client = TestClient(app, base_url=HOME)  # type: ignore[arg-type]
    project, take = f"/api/projects/{known['project_id']}", f"/api/takes/{known['take_id']}"
    long = "9" * 300
    for url in (
        f"{project}/readiness?seconds=inf",
        f"{project}/readiness?seconds=nan",
        f"{project}/readiness?seconds=1e400",
        f"{take}/frames/{long}",
        f"{take}/thumbs/-{long}",
        f"{take}/passes/clay/{long}",
        f"{take}/shown/{long}",
        f"{take}/clip?loops={long}",
        f"/api/assets/{known['asset']}/pose?acting={long}:inf:1",
        f"{take}/loupe/1?x=nan&y=0",
        f"{take}/loupe/1?x=0&y=1e999",
        "/api/grade/curve?points=nan,inf",
    ):
        answer = client.get(url)
        assert 400 <= answer.status_code < 500, url
        assert answer.json()["error"]
    bodies = ('{"forecast_s": Infinity}', '{"forecast_s": NaN}', '{"forecast_s": 1e999}', "[" * 100_000, long, "")
    for body in bodies:
        sent = client.post(f"{project}/takes", content=body, headers={"content-type": "application/json"})
        assert 400 <= sent.status_code < 500
    for path in ("shot/frames", "look/tone/ev100", "look/lights/key/power"):
        for value in ("Infinity", "NaN", "1e999", long):
            body = f'{{"base_version": 1, "changes": [{{"kind": "set", "path": "{path}", "value": {value}}}]}}'
            headers = {"content-type": "application/json"}
            assert 400 <= client.post(f"{project}/changes", content=body, headers=headers).status_code < 500
    assert client.get("/api/takes").status_code == 200
