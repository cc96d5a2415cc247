"""Every route asked nonsense: no inner error, and nothing changed without a token."""

import json
import string
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from conftest import House, wait_for
from plates import green_clip
from upholster.store.session import session
from upholster.studio.footage import bring_in
from upholster.web.app import create_app

APP_METHODS = ("POST", "PUT")
TABLES = ("footage", "reading", "shot", "revision", "render", "render_range", "clip", "preset", "procrastinate_jobs")

#: What fields of requests are called, so that nonsense gets past the first look.
NAMES = [
    "base", "changes", "frame", "window", "taken", "whole", "sequence", "quality", "keep", "plate", "seen",
    "branch", "change", "screen", "measure", "x", "y", "radius", "deliveries", "delivery", "revision", "name",
    "format", "rate", "size", "version", "matte", "edge", "take", "first", "last", "speed", "turns", "crop_left",
    "black_point", "choke", "pixel_aspect", "samples", "kind", "colour", "shots", "preset", "split", "view", "over",
]  # fmt: skip
ODD = st.sampled_from([
    None, True, "", "x", "\x00", "\ud800", "1/0", "1e999999999", "NaN", -1, 0, 1, 3, 2**31, 2**63, 10**400, 1e308, 0.5,
    "result", "prores4444", "vp9", "#00ff00", "screen", [], {},
])  # fmt: skip
JSON = st.recursive(
    ODD,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(NAMES), inner, max_size=6),
    max_leaves=12,
)
SECTIONS = st.sampled_from(["take", "screen", "region", "qualifier", "matte", "edge", "edge_colour", "version", "x"])
BODIES = st.dictionaries(st.sampled_from(NAMES), JSON, max_size=8)
#: Bodies that JSON parsers and databases have stumbled over.
TRAPS = [
    b"", b"{", b"null", b"[]", b'"x"', b"\xff\xfe", b"[" * 10_000 + b"]" * 10_000,
    b'{"a":' * 10_000 + b"1" + b"}" * 10_000,
    b'{"base": 1, "changes": {"version": 0}, "seen": 1, "frame": 1, "window": "w", "sequence": 1}',
    b'{"base": true, "changes": {"edge": null}, "seen": 1, "frame": 1, "window": "w", "sequence": "x"}',
    b'{"base": 1, "delivery": {"format": "vp9", "rate": "1e999999999"}, "window": "w", "sequence": 1}',
    b'{"revision": 1, "deliveries": [{"format": "vp9", "rate": "1/0"}], "name": "x"}',
    b'{"name": "a\\u0000b\\ud800c", "delivery": {"format": "vp9"}}',
    b'{"shots": [99999999999999999999], "delivery": {"format": "vp9"}}', b'{"size": 1e400}', b'{"size": NaN}',
]  # fmt: skip


@pytest.fixture(scope="module")
def shot_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    folder = tmp_path_factory.mktemp("fuzz")
    footage, _ = bring_in.take_in(green_clip(folder / "fuzzed.mp4", 5, 0.04).parent, "fuzzed.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    return next(f for f in bring_in.all_footage() if f.id == footage.id).shots[0].id


@pytest.fixture(scope="module")
def client(house: House) -> Iterator[FlaskClient]:
    app = create_app()
    with app.test_client() as opened:
        yield opened


def token(client: FlaskClient) -> str:
    page = client.get("/footage", base_url="http://127.0.0.1").get_data(as_text=True)
    return page.split('csrf-token" content="')[1].split('"')[0]


def routes(app: Any) -> list[tuple[str, str]]:
    """Every method and rule of the application."""
    rules = [r for r in app.url_map.iter_rules() if r.endpoint != "static"]
    return [(m, str(r)) for r in rules for m in r.methods - {"HEAD", "OPTIONS"} if m in ("GET", *APP_METHODS)]


def addresses(rule: str, shot_id: int) -> Iterator[str]:
    """A rule with numbers that are there, that are not, and that no database counts to."""
    for number in (str(shot_id), "1", "0", "999999", str(2**31 - 1), str(2**31), "9" * 40):
        filled = rule
        for part in ("shot_id", "footage_id", "render_id", "clip_id", "preset_id", "fitting_id", "number"):
            filled = filled.replace(f"<int:{part}>", number)
        filled = filled.replace("<any(cc, cdl):kind>", "cc")
        filled = filled.replace("<token>", "no%00such..%2f").replace("<name>", "histogram")
        for way in ("undo", "first"):
            filled = filled.replace("<any(undo, redo):way>", way).replace("<any(first, last):where>", "first")
        yield filled


def ask(client: FlaskClient, method: str, address: str, body: bytes | None, sent: str | None, **more: Any) -> int:
    headers = {"Accept": "application/json", **({"X-CSRF-Token": sent} if sent else {})}
    answer = client.open(
        address,
        method=method,
        data=body,
        headers=headers,
        base_url="http://127.0.0.1",
        **more,  # fmt: skip
    )
    if answer.status_code >= 400:
        assert answer.get_json()["problem"].endswith("."), (method, address)
    return answer.status_code


def under_way() -> bool:
    with session() as db:
        waits = "SELECT 1 FROM procrastinate_jobs WHERE status IN ('todo', 'doing')"
        active = "SELECT 1 FROM render WHERE state IN ('running', 'encoding', 'checking')"
        return bool(db.scalar(text(f"{waits} UNION ALL {active} LIMIT 1")))


def counted() -> dict[str, Any]:
    with session() as db:
        found = {t: db.execute(text(f"SELECT count(*), max(id) FROM {t}")).one() for t in TABLES if t != "render_range"}
        heads = db.execute(text("SELECT sum(head), sum(hashtext(bench::text)) FROM shot")).one()
    return {**{t: tuple(row) for t, row in found.items()}, "heads": tuple(heads)}


def test_no_route_breaks_on_traps(client: FlaskClient, shot_id: int) -> None:
    sent = token(client)
    for method, rule in routes(client.application):
        for address in addresses(rule, shot_id):
            if method == "GET" or "remove" in rule or "copy" in rule:
                assert ask(client, method, address, None, None) < 500, address
                continue
            for body in TRAPS if str(shot_id) in address else TRAPS[:3]:
                assert ask(client, method, address, body, sent, content_type="application/json") < 500, (address, body)


@settings(max_examples=150, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.data())
def test_no_route_breaks_on_nonsense(client: FlaskClient, shot_id: int, data: st.DataObject) -> None:
    method, rule = data.draw(st.sampled_from([r for r in routes(client.application) if "remove" not in r[1]]))
    address = data.draw(st.sampled_from(list(addresses(rule, shot_id))))
    body = data.draw(BODIES)
    if data.draw(st.booleans()):
        # A request as a page sends it, with some of its fields replaced.
        body = {
            "base": 1,
            "changes": data.draw(st.dictionaries(SECTIONS, st.dictionaries(st.sampled_from(NAMES), JSON, max_size=3))),
            "seen": 1,
            "frame": 1,
            "window": "f",
            "sequence": 1,
            "delivery": {"format": "gif"},
        } | body
    query = data.draw(st.sampled_from(["", "?offset=abc&name=x", "?offset=-1&name=%00", "?search=%00%ff&reading=x"]))
    sent = token(client)
    assert ask(client, method, address + query, json.dumps(body).encode(), sent, content_type="application/json") < 500
    if method != "GET":
        form = {
            name: data.draw(st.text(string.printable + "\x00é", max_size=9))
            for name in ("kind", "over", "tags", "search")
        }
        assert ask(client, method, address, None, sent) < 500
        answer = client.open(
            address, method=method, data=form, headers={"X-CSRF-Token": sent}, base_url="http://127.0.0.1"
        )
        assert answer.status_code < 500


@pytest.mark.parametrize("sent", [None, "", "x", "ÿþ", "\x80" * 20])
def test_nothing_changes_without_the_token(client: FlaskClient, shot_id: int, sent: str | None) -> None:
    # What tests before this one asked for is still worked on.
    wait_for(lambda: not under_way())
    before = counted()
    for method, rule in routes(client.application):
        for address in list(addresses(rule, shot_id))[:2]:
            status = ask(client, method, address, b"{}", sent, content_type="application/json")
            # What no route answers to changes nothing either.
            assert method == "GET" or status in (308, 401, 403, 404), address
    assert counted() == before, "a GET, or a request without a token, changed something"


def test_a_rate_that_would_take_for_ever_is_answered_at_once(client: FlaskClient, shot_id: int, tmp_path: Path) -> None:
    sent = token(client)
    delivery = {"format": "vp9", "rate": "1e999999999"}
    for address, body in (
        (f"/bench/{shot_id}/quote", {"base": 1, "deliveries": [delivery], "window": "w", "sequence": 1}),
        (f"/bench/{shot_id}/render", {"revision": 1, "deliveries": [delivery], "name": ""}),
        ("/presets", {"name": "slow", "delivery": delivery}),
        ("/renders/batch", {"shots": [shot_id], "delivery": delivery}),
    ):
        headers = {"X-CSRF-Token": sent, "Accept": "application/json"}
        answer = client.post(address, json=body, headers=headers, base_url="http://127.0.0.1")
        assert answer.status_code == 422 and "a rate is a number" in answer.get_json()["problem"], address


def test_a_recipe_of_three_thousand_samples_is_refused(client: FlaskClient, shot_id: int) -> None:
    sample = {"frame": 0, "x": 1, "y": 1, "radius": 3, "colour": [0.1, 0.6, 0.2]}
    changes = {"screen": {"samples": [sample] * 3000}}
    body = json.dumps({"base": 1, "changes": changes, "frame": 0, "window": "many", "sequence": 1}).encode()
    assert ask(client, "POST", f"/bench/{shot_id}/picture", body, token(client), content_type="application/json") == 422
