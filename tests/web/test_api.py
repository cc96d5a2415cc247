"""The interface for scripts: every route as it is described, tokens, keys, and a script that uses it."""

import json
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from flask import Flask
from flask.testing import FlaskClient

from brought import green_shot
from conftest import House, wait_for
from deliveries import deliver
from plates import disc, green_clip
from upholster.media.decoder.reader import Reader
from upholster.studio.errors import Refused
from upholster.studio.renders import listed
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
    assert [r.id for r in listed.all_renders() if r.shot_id == shot] == [number]
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
    before = len(listed.all_renders())
    assert subprocess.run(asked, capture_output=True, text=True, timeout=300).returncode == 0
    assert len(listed.all_renders()) == before


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


def test_a_clip_is_brought_in_fitted_and_delivered(client: FlaskClient, token: str, tmp_path: Path) -> None:
    frames = [disc(160, 96, x=60 + 8 * n, y=48, radius=24) for n in range(4)]
    made = deliver([(np.stack([a * 0.8, a * 0.3, a * 0.2]), a) for a in frames], tmp_path, "prores4444")
    upload = ask(client, "POST", "/uploads", token).get_json()["token"]
    ask(client, "PUT", f"/uploads/{upload}?name=owl_disc.mov&offset=0", token, made.files[0].read_bytes())
    number = ask(client, "POST", f"/uploads/{upload}/done?name=owl_disc.mov", token).get_json()["id"]
    told = lambda path: ask(client, "GET", path, token).get_json()  # noqa: E731
    assert ask(client, "POST", f"/footage/{number}/clip", token).status_code == 201
    wait_for(lambda: told(f"/footage/{number}/clip")["clip"])
    clip = told(f"/footage/{number}/clip")["clip"]
    tagged = ask(client, "PUT", f"/clips/{clip}/tags", token, {"tags": ["disc", "warm"]})
    assert tagged.get_json()["tags"] == ["disc", "warm"]
    assert told("/clips?words=warm")["clips"][0]["id"] == clip
    beside = ask(client, "GET", f"/clips/{clip}/sidecar", token)
    assert json.loads(beside.data)
    layers = [{"source": {"kind": "clip", "id": clip}, "name": "Disc"}]
    document = {"frame": {"width": 160, "height": 96, "length": 4}, "layers": layers}
    fitting = ask(client, "POST", "/fittings", token, {"name": "By a script", "document": document}).get_json()
    now = told(f"/fittings/{fitting['id']}/document")
    now["document"]["frame"]["length"] = 3
    sent = {"document": now["document"], "seen": now["revision"]}
    assert ask(client, "PUT", f"/fittings/{fitting['id']}/document", token, sent).get_json()["revision"] == 2
    assert fitting["name"] in {each["name"] for each in told("/fittings")["fittings"]}
    order = {"fitting": fitting["id"], "delivery": {"format": "ffv1"}}
    (render,) = ask(client, "POST", "/renders", token, order).get_json()["renders"]
    wait_for(lambda: told(f"/renders/{render['id']}")["state"] == "done")
    made_clip = told(f"/renders/{render['id']}")["clip"]
    out = tmp_path / "fitted.mkv"
    out.write_bytes(ask(client, "GET", f"/clips/{made_clip}/file", token).data)
    with Reader([out]) as reader:
        alpha = reader.frame(2).alpha
        assert reader.facts.length == 3 and alpha is not None
    assert np.abs(alpha - frames[2]).mean() < 0.01
    for wrong in ({}, {"shot": 1, "fitting": 1}):
        refused = ask(client, "POST", "/renders", token, wrong | {"delivery": {"format": "gif"}})
        assert refused.status_code == 422 and "either a shot or a fitting" in refused.get_json()["problem"]


def test_a_recipe_is_given_to_others_and_links_them(client: FlaskClient, token: str, tmp_path: Path) -> None:
    one, two = (green_shot(tmp_path / name, f"owl_{name}", 5, uneven) for name, uneven in two_plates(tmp_path))
    sent = {"shots": [two, 2_000_000], "lines": ["finish"], "linked": True}
    given, gone = ask(client, "POST", f"/shots/{one}/given", token, sent).get_json()["given"]
    assert given["revision"] and not gone["revision"] and gone["sentences"][0].endswith(".")
    recipe = ask(client, "GET", f"/shots/{one}/recipe", token).get_json()["recipe"]
    recipe["finish"]["saturation"] = 0.3
    ask(client, "PUT", f"/shots/{one}/recipe", token, {"recipe": recipe})
    assert ask(client, "GET", f"/shots/{two}/recipe", token).get_json()["recipe"]["finish"]["saturation"] == 0.3


def two_plates(folder: Path) -> list[tuple[str, float]]:
    for name in ("one", "two"):
        (folder / name).mkdir()
    return [("one", 0.069), ("two", 0.0695)]
