"""The interface for scripts: every route as it is described, tokens, keys, and a script that uses it."""

import json
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from flask import Flask
from flask.testing import FlaskClient

from brought import green_shot
from conftest import House, wait_for
from plates import green_clip
from upholster.media.decoder.reader import Reader
from upholster.studio.errors import Refused
from upholster.studio.renders import renders
from upholster.studio.scripts import tokens
from upholster.web.api.served import OFFERS
from upholster.web.app import create_app

HERE = "http://127.0.0.1"


@pytest.fixture(scope="module")
def application(house: House) -> Flask:
    return create_app()


@pytest.fixture(scope="module")
def token(house: House) -> Iterator[str]:
    yield tokens.issue("tests")


@pytest.fixture
def client(application: Flask) -> FlaskClient:
    return application.test_client()


def ask(client: FlaskClient, method: str, path: str, token: str, body: Any = None, **headers: str) -> Any:
    data = body if isinstance(body, bytes) or body is None else json.dumps(body)
    kind = "application/octet-stream" if isinstance(body, bytes) else "application/json"
    given = {"Authorization": f"Bearer {token}", **headers}
    return client.open(f"/api/v1{path}", method=method, data=data, content_type=kind, headers=given, base_url=HERE)


def test_nobody_comes_in_without_a_good_token(client: FlaskClient, token: str) -> None:
    for wrong in ("", "uph_wrong", token[:-1], f"{token}x"):
        answer = ask(client, "GET", "/footage", wrong)
        assert answer.status_code == 401 and answer.get_json()["problem"].endswith(".")
    assert ask(client, "GET", "/footage", token).status_code == 200
    other = tokens.issue("another")
    number = next(t.id for t in tokens.all_tokens() if t.name == "another")
    assert ask(client, "GET", "/clips", other).status_code == 200
    tokens.take_back(number)
    assert ask(client, "GET", "/clips", other).status_code == 401
    with pytest.raises(Refused, match="called “tests” already"):
        tokens.issue("tests")


def test_a_token_is_not_kept_as_it_is(token: str) -> None:
    kept = next(t for t in tokens.all_tokens() if t.name == "tests")
    assert token.encode() not in kept.digest and len(kept.digest) == 32 and kept.used_at is not None


def test_what_is_made_under_a_key_is_made_once(client: FlaskClient, token: str, tmp_path: Path) -> None:
    shot = green_shot(tmp_path, "owl_api", 6, 0.061)
    order = {"shot": shot, "delivery": {"format": "gif"}}
    keyed = {"Idempotency-Key": "one"}
    first, again = (ask(client, "POST", "/renders", token, order, **keyed) for _ in range(2))
    assert first.status_code == again.status_code == 201 and first.get_json() == again.get_json()
    number = first.get_json()["renders"][0]["id"]
    assert [r.id for r in renders.all_renders() if r.shot_id == shot] == [number]
    other = ask(client, "POST", "/renders", token, order | {"name": "else"}, **keyed)
    assert other.status_code == 422 and "another request" in other.get_json()["problem"]
    assert ask(client, "POST", "/renders", token, order).get_json()["renders"][0]["id"] != number
    # The same key of somebody else is another key.
    second = tokens.issue("second")
    assert ask(client, "POST", "/renders", second, order, **keyed).get_json()["renders"][0]["id"] != number


def test_a_recipe_is_read_written_and_not_written_over(client: FlaskClient, token: str, tmp_path: Path) -> None:
    shot = green_shot(tmp_path, "owl_api_recipe", 6, 0.063)
    told = ask(client, "GET", f"/shots/{shot}/recipe", token).get_json()
    told["recipe"]["edge"]["choke"] = 2.0
    sent = {"recipe": told["recipe"], "change": "by a test", "seen": told["revision"]}
    after = ask(client, "PUT", f"/shots/{shot}/recipe", token, sent).get_json()
    assert (after["revision"], after["change"]) == (told["revision"] + 1, "by a test")
    told["recipe"]["edge"]["choke"] = 3.0
    assert ask(client, "PUT", f"/shots/{shot}/recipe", token, sent).status_code == 409
    told["recipe"]["edge"]["choke"] = "wide"
    refused = ask(client, "PUT", f"/shots/{shot}/recipe", token, {"recipe": told["recipe"]})
    assert refused.status_code == 422 and "edge.choke" in refused.get_json()["problem"]

    def findings() -> Any:
        return ask(client, "GET", f"/shots/{shot}/findings", token).get_json()

    assert findings()["missing"] == 6
    wait_for(lambda: findings()["missing"] == 0)


def test_the_example_drops_a_plate_in_and_fetches_its_clip(house: House, token: str, tmp_path: Path) -> None:
    plate = green_clip(tmp_path / "owl_api_script.mp4", 8, 0.067)
    script = Path(__file__).parents[2] / "docs" / "script.py"
    asked = [sys.executable, str(script), house.address, token, str(plate), str(tmp_path / "clip.mov")]
    done = subprocess.run(asked, capture_output=True, text=True, timeout=300)
    assert done.returncode == 0, done.stderr
    with Reader([tmp_path / "clip.mov"]) as reader:
        alpha = reader.frame(0).alpha
        assert reader.facts.length == 8 and alpha is not None and alpha[90, 130] > 0.98 and alpha[5, 5] == 0
    # Once more, nothing is made anew: each request has its key.
    before = len(renders.all_renders())
    assert subprocess.run(asked, capture_output=True, text=True, timeout=300).returncode == 0
    assert len(renders.all_renders()) == before


def test_every_route_is_described_and_every_description_is_served(client: FlaskClient, application: Flask) -> None:
    told = client.get("/api/v1/openapi.json", base_url=HERE).get_json()
    assert told["openapi"] == "3.1.0"
    described = {(method.upper(), path) for path, found in told["paths"].items() for method in found}
    served = {
        (method, str(rule).removeprefix("/api/v1").replace("<int:", "{").replace("<", "{").replace(">", "}"))
        for rule in application.url_map.iter_rules()
        if rule.endpoint.startswith("api.") and rule.endpoint != "api.openapi"
        for method in (rule.methods or set()) - {"HEAD", "OPTIONS"}
    }
    assert described == served and len(described) == len(OFFERS)
