"""Who may come in (OWASP: DNS rebinding, cross-site request forgery; RFC 9106: Argon2)."""

import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from flask import Flask
from flask.testing import FlaskClient

from conftest import House, start_house
from upholster import binding
from upholster.web import deadline, door
from upholster.web.app import create_app

NETWORK = {"REMOTE_ADDR": "192.0.2.7"}


@pytest.fixture
def app(house: House) -> Flask:
    return create_app()


@pytest.fixture
def bound(monkeypatch: pytest.MonkeyPatch) -> Any:
    """Listening on another address than the loopback's."""

    def bind(address: str) -> None:
        monkeypatch.setattr(door, "BIND", address)
        monkeypatch.setattr(door, "beyond_loopback", lambda: binding.beyond_loopback(address))

    return bind


def asked(app: Flask, host: str, **environ: str) -> int:
    answer = app.test_client().get("/health", headers={"Host": host}, environ_overrides=environ)
    return answer.status_code


@pytest.mark.parametrize("host", ["127.0.0.1", "127.0.0.1:8750", "localhost:1", "[::1]", "[::1]:8750"])
def test_the_loopback_answers_to_its_names(app: Flask, host: str) -> None:
    assert asked(app, host) == 200


OTHERS = ["evil.example", "192.0.2.1", "localhost.evil.example", "127.0.0.1.evil.example", "[::2]"]


@pytest.mark.parametrize("host", OTHERS)
def test_other_names_are_not_ours(app: Flask, host: str) -> None:
    assert asked(app, host) == 421


def test_bound_to_all_addresses_the_network_cannot_call_itself_localhost(app: Flask, bound: Any) -> None:
    bound("0.0.0.0")
    assert asked(app, "localhost", **NETWORK) == asked(app, "127.0.0.1:80", **NETWORK) == 421
    assert asked(app, "localhost") == 200
    # A plain address cannot be pointed elsewhere; a name can.
    assert asked(app, "192.0.2.1:8750", **NETWORK) == 200 and asked(app, "house.example", **NETWORK) == 421


def test_bound_to_one_address_only_that_is_ours(app: Flask, bound: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    bound("192.0.2.1")
    assert asked(app, "192.0.2.1:80", **NETWORK) == 200 and asked(app, "192.0.2.2", **NETWORK) == 421
    monkeypatch.setenv("UPHOLSTER_HOSTS", "house.example")
    assert asked(app, "house.example", **NETWORK) == 200


def test_beyond_the_loopback_the_password_is_wanted_first(
    app: Flask, bound: Any, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr("upholster.studio.password._file", lambda: tmp_path / "hash")
    monkeypatch.setattr(door, "_GUESS", 0.0)
    told = subprocess.run(
        [sys.executable, "-m", "upholster.service", "--set-password"], input="brass tack\n", text=True,
        capture_output=True, env={**os.environ, "UPHOLSTER_DATA": str(tmp_path)},
    )  # fmt: skip
    assert told.stdout == "The password is set.\n"
    (tmp_path / "password-hash").rename(tmp_path / "hash")
    assert (tmp_path / "hash").read_text().startswith("$argon2id$") and (tmp_path / "hash").stat().st_mode & 0o77 == 0
    bound("0.0.0.0")
    client = app.test_client()
    assert page(client, "/footage").location == "/door"
    assert page(client, "/footage", accept="application/json").status_code == 401
    assert page(client, "/static/app.css").status_code == 200
    form = page(client, "/door").get_data(as_text=True)
    token = form.split('name="token" value="')[1].split('"')[0]
    wrong = post(client, {"token": token, "password": "wrong"})
    assert wrong.status_code == 403 and "not the password" in wrong.get_data(as_text=True)
    assert post(client, {"token": "no", "password": "brass tack"}).status_code == 403
    assert post(client, {"token": token, "password": "brass tack"}).status_code == 302
    assert page(client, "/footage").status_code == 200
    assert page(app.test_client(), "/footage").location == "/door", "others stay outside"


def page(client: FlaskClient, address: str, accept: str = "text/html") -> Any:
    return client.get(address, headers={"Host": "192.0.2.1", "Accept": accept}, environ_overrides=NETWORK)


def post(client: FlaskClient, form: dict[str, str]) -> Any:
    return client.post("/door", data=form, headers={"Host": "192.0.2.1"}, environ_overrides=NETWORK)


def test_a_password_too_short_is_refused(tmp_path: Path) -> None:
    told = subprocess.run(
        [sys.executable, "-m", "upholster.service", "--set-password"], input="short\n", text=True,
        capture_output=True, env={**os.environ, "UPHOLSTER_DATA": str(tmp_path)},
    )  # fmt: skip
    assert told.returncode and "at least 8 characters" in told.stderr and not list(tmp_path.glob("password*"))


@pytest.fixture
def root() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="upholster-door-") as name:
        Path(name).chmod(0o755)
        yield Path(name)


def test_without_a_password_no_house_opens_to_the_network(root: Path) -> None:
    told = subprocess.run(
        [sys.executable, "-m", "upholster.service", "--empty"], capture_output=True, text=True,
        env={**os.environ, "UPHOLSTER_DATA": str(root), "UPHOLSTER_BIND": "0.0.0.0"},
    )  # fmt: skip
    assert told.returncode and "set one with bin/start --set-password" in told.stderr


def test_a_house_bound_elsewhere_finds_its_own_health(root: Path) -> None:
    opened = start_house(root, "--empty", UPHOLSTER_BIND="127.0.0.2")
    try:
        assert opened.address.startswith("http://127.0.0.2:")
        assert urllib.request.urlopen(f"{opened.address}/health").status == 200
    finally:
        opened.process.terminate()
        opened.process.wait()


@pytest.mark.parametrize(
    ("bind", "beyond", "url"),
    [
        ("127.0.0.1", False, "http://127.0.0.1:1"),
        ("::1", False, "http://[::1]:1"),
        ("localhost", False, "http://localhost:1"),
        ("0.0.0.0", True, "http://127.0.0.1:1"),
        ("::", True, "http://[::1]:1"),
        ("192.0.2.1", True, "http://192.0.2.1:1"),
        ("house.example", True, "http://house.example:1"),
    ],
)
def test_what_is_beyond_this_machine_and_where_the_house_asks_itself(bind: str, beyond: bool, url: str) -> None:
    assert binding.beyond_loopback(bind) is beyond and binding.own_url(1, bind) == url


def test_a_request_that_takes_too_long_is_stopped_with_a_sentence(
    house: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(deadline, "SECONDS", 0.4)
    app = create_app()

    @app.get("/slow")
    def slow() -> str:
        until = time.monotonic() + 30
        while time.monotonic() < until:
            time.sleep(0.01)
        return "never"

    began = time.monotonic()
    answer = app.test_client().get("/slow", headers={"Accept": "application/json"})
    assert answer.status_code == 503 and "took too long" in answer.get_json()["problem"]
    assert time.monotonic() - began < 20
    assert app.test_client().get("/health").status_code == 200
