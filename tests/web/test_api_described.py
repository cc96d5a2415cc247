"""Schemathesis asks for everything the description offers, rightly and wrongly; every answer has to be as described."""

from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings
from schemathesis import Case
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_headers_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from conftest import House
from upholster.studio.scripts import tokens
from upholster.web.api.offers import Offer
from upholster.web.api.served import OFFERS
from upholster.web.app import create_app

CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_headers_conformance,
    response_schema_conformance,
]


@pytest.fixture(scope="module")
def described(house: House) -> schemathesis.BaseSchema:
    application = create_app()

    def from_here(environ: dict[str, Any], start: Any) -> Any:
        """Asked from this machine, by its address."""
        return application(environ | {"REMOTE_ADDR": "127.0.0.1", "HTTP_HOST": "127.0.0.1"}, start)

    return schemathesis.openapi.from_wsgi("/api/v1/openapi.json", from_here)


@pytest.fixture(scope="module")
def headers(house: House) -> dict[str, str]:
    return {"Authorization": f"Bearer {tokens.issue('schemathesis')}"}


@pytest.mark.parametrize("offer", OFFERS, ids=lambda offer: f"{offer.method} {offer.path}")
def test_every_answer_is_as_described(
    described: schemathesis.BaseSchema, headers: dict[str, str], offer: Offer
) -> None:
    path = offer.path.replace("<int:", "{").replace("<", "{").replace(">", "}")

    @settings(max_examples=20, deadline=None, suppress_health_check=list(HealthCheck), database=None)
    @given(case=described[path][offer.method].as_strategy())
    def answers(case: Case) -> None:
        case.call_and_validate(headers=headers, checks=CHECKS)

    answers()
