"""The page on HTTP: its lines are run as they stand, against a studio that asks for a token."""

import json
import re
import shlex
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from httpx import Response
from tests.core.geometry.test_intake import glb

from cyclorama.web.app import create_app

ROOT = Path(__file__).resolve().parents[2]
LINES = re.findall(r"```sh\n(.*?)```", (ROOT / "docs" / "http.md").read_text("utf-8"), re.DOTALL)
CAPTURE = re.compile(r"(\w+)=\$\((.*) \| jq -r (\S+)\)\s*", re.DOTALL)
UNDER_WAY = {"waiting", "queued", "running"}


class Shell:
    """As much of a shell, of curl and of jq as the page needs."""

    def __init__(self, client: TestClient, folder: Path, token: str):
        self._client, self._folder, self._token = client, folder, token
        self.names = {"STUDIO": "", "TOKEN": token}

    def run(self, line: str) -> None:
        found = CAPTURE.fullmatch(line)
        answer = self._curl(found[2] if found else line)
        if found:
            value: Any = answer.json()
            for step in re.findall(r"\w+", found[3]):
                value = value[int(step) if step.isdigit() else step]
            self.names[found[1]] = str(value)

    def _curl(self, line: str) -> Response:
        for name, value in self.names.items():
            line = re.sub(rf"\${name}\b", value, line)
        words = iter(shlex.split(line)[1:])
        options = {word: next(words) for word in words if word.startswith("-")} | {"to": line.split()[-1]}
        more: dict[str, Any] = {}
        if "--json" in options:
            more["json"] = json.loads(options["--json"])
        if "-F" in options:
            field, name = options["-F"].split("=@")
            more["files"] = {field: (name, (self._folder / name).read_bytes())}
        method = "POST" if more else "GET"
        answer = self._ask(method, options["to"], more)
        while method == "GET" and "-o" not in options and _state(answer) in UNDER_WAY:  # as the page says
            time.sleep(0.1)
            answer = self._ask(method, options["to"], more)
        if "-o" in options:
            (self._folder / options["-o"]).write_bytes(answer.content)
        return answer

    def _ask(self, method: str, address: str, more: dict[str, Any]) -> Response:
        answer = self._client.request(method, address, headers={"authorization": f"Bearer {self._token}"}, **more)
        assert answer.is_success, (address, answer.text)
        return answer


def _state(answer: Response) -> str | None:
    told = answer.json()
    return told.get("state") if isinstance(told, dict) else None


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    with TestClient(create_app(tmp_path / "data", key="a key for the network"), base_url="http://elsewhere") as client:
        yield client


def test_the_lines_of_the_page_lead_from_a_model_to_a_clip(client: TestClient, tmp_path: Path) -> None:
    _, token = client.app.state.context.studio.tokens.issue("Page")  # type: ignore[attr-defined]
    (tmp_path / "glass.glb").write_bytes(glb())
    shell = Shell(client, tmp_path, token)
    for line in LINES:
        shell.run(line)
    assert shell.names["STATE"] == "done"
    assert (tmp_path / "glass.mp4").read_bytes()[4:8] == b"ftyp"
    assert (tmp_path / "frames.zip").read_bytes().startswith(b"PK")


def test_the_description_says_how_to_ask_and_what_can_go_wrong(client: TestClient) -> None:
    _, token = client.app.state.context.studio.tokens.issue("Reader")  # type: ignore[attr-defined]
    told = client.get("/openapi.json", headers={"authorization": f"Bearer {token}"}).json()
    operations = [(path, method, o) for path, item in told["paths"].items() for method, o in item.items()]
    assert len({o["operationId"] for *_, o in operations}) == len(operations)
    headings = {heading["name"]: heading["description"] for heading in told["tags"]}
    for path, method, operation in operations:
        assert operation["description"], (method, path)
        assert headings[operation["tags"][0]]
        assert operation["responses"]["422"]["content"]["application/json"]["schema"]["$ref"].endswith("/Problem")
        assert ("404" in operation["responses"]) == ("{" in path)
    assert "409" in told["paths"]["/api/projects/{project_id}/changes"]["post"]["responses"]
    assert "409" not in told["paths"]["/api/projects"]["post"]["responses"]
    assert "HTTPValidationError" not in told["components"]["schemas"]


def test_every_example_is_one_that_the_studio_takes(client: TestClient) -> None:
    """Examples stand beside the models; those of this page's requests have one each."""
    from cyclorama.web.api.cuts import EditCall
    from cyclorama.web.api.deliveries import DeliverCall
    from cyclorama.web.api.grades import FinishCall
    from cyclorama.web.api.projects import Edit, NewProject, Step
    from cyclorama.web.api.takes import Call

    for model in (Call, DeliverCall, Edit, EditCall, FinishCall, NewProject, Step):
        examples = model.model_json_schema()["examples"]
        for example in examples:
            model.model_validate(example)
