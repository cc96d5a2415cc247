"""The application and its rules for every request and answer."""

import logging
import os
import secrets
from pathlib import Path
from typing import Any

from flask import Flask, Response, jsonify, redirect, render_template, request, url_for
from flask_wtf.csrf import CSRFError
from sqlalchemy.exc import InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from werkzeug.exceptions import HTTPException
from werkzeug.routing import IntegerConverter
from werkzeug.wrappers import Response as AnyResponse

from upholster.core.documents.fitting import FittingError
from upholster.core.documents.recipe import RecipeError
from upholster.media.errors import MediaError
from upholster.studio.errors import Missing, Refused, Stale
from upholster.studio.looking.hand import Overtaken
from upholster.studio.paths import data_root
from upholster.web import door, words
from upholster.web.api import served
from upholster.web.deadline import Deadlines, TookTooLong
from upholster.web.pages import (
    bench,
    deliver,
    findings,
    finish,
    fitting_delivery,
    fittings,
    footage,
    masks,
    renders,
    scripts,
    stockroom,
    traces,
    watched,
)

log = logging.getLogger(__name__)

#: What is raised while the database is away, or has no room for one more.
DATABASE_AWAY = (OperationalError, InterfaceError, PoolTimeout)
#: Largest single request; files are sent in blocks below it.
BLOCK = 16 << 20
#: Seconds for what may well take long: looking into gigabytes that were uploaded, or through a whole clip of mattes.
_LONGER = {"footage.done": 1800.0, "masks.masks_from_mattes": 600.0}

_POLICY = (
    "default-src 'self'; img-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'none'"
)
#: Answers to what is refused, most special first: the status, and a sentence where it does not bring its own.
_ANSWERS: list[tuple[type[Exception] | tuple[type[Exception], ...], int, str]] = [
    (Missing, 404, ""),
    (Stale, 409, ""),
    (door.NotKnown, 421, ""),
    (CSRFError, 403, "This page is out of date. Load it again."),
    (door.NotIn, 401, ""),
    (Refused, 422, ""),
    (MediaError, 422, ""),
    (RecipeError, 422, ""),
    (FittingError, 422, ""),
    (DATABASE_AWAY, 503, "The database does not answer just now. Nothing is lost; try again in a moment."),
    (TookTooLong, 503, "This took too long and was stopped. Try again when the machine is less busy."),
]
_HTTP = {404: "There is nothing at this address.", 413: "This is too large to send in one piece."}


class RowNumber(IntegerConverter):
    """A number in an address, as large as the database counts."""

    def __init__(self, *arguments: Any, **options: Any) -> None:
        super().__init__(*arguments, **{"max": 2**31 - 1, **options})


def create_app() -> Flask:
    app = Flask("upholster.web")
    app.config.update(
        SECRET_KEY=_secret(data_root() / "session-key"),
        MAX_CONTENT_LENGTH=BLOCK + 4096,
        SESSION_COOKIE_SAMESITE="Strict",
        SEND_FILE_MAX_AGE_DEFAULT=0,
    )
    # Choices are offered in the order they are written in.
    app.jinja_env.policies["json.dumps_kwargs"] = {"sort_keys": False}
    app.jinja_env.filters.update(words.FILTERS)
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.url_map.converters["int"] = RowNumber
    Deadlines(app, _LONGER)
    protection = door.guard(app)
    for module in (
        footage,
        bench,
        masks,
        traces,
        findings,
        finish,
        deliver,
        renders,
        stockroom,
        fittings,
        fitting_delivery,
        watched,
        scripts,
        served,
    ):
        app.register_blueprint(module.page)
    # No browser sends a script's token of its own accord, so no page can make it do so.
    protection.exempt(served.page)
    app.after_request(_harden)
    app.register_error_handler(Exception, _explain)
    # Nobody waits for the answer.
    app.register_error_handler(Overtaken, lambda error: ("", 204))

    @app.get("/")
    def home() -> AnyResponse:
        return redirect(url_for("footage.show"))

    @app.get("/health")
    def health() -> str:
        return "ok"

    return app


def _secret(path: Path) -> bytes:
    if not path.exists():
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(secrets.token_bytes(32))
    return path.read_bytes()


def _harden(response: Response) -> Response:
    response.headers.setdefault("Content-Security-Policy", _POLICY)
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
    return response


def _explain(error: Exception) -> Response | tuple[str, int]:
    code, sentence = _answer(error)
    page = request.accept_mimetypes.best_match(["application/json", "text/html"]) == "text/html"
    wants_page = page and not request.path.startswith("/api/")
    if wants_page and "HX-Request" not in request.headers:
        return render_template("problem.html", sentence=sentence), code
    response = jsonify(problem=sentence)
    response.status_code = code
    return response


def _answer(error: Exception) -> tuple[int, str]:
    for kind, code, sentence in _ANSWERS:
        if isinstance(error, kind):
            return code, sentence or str(error)
    if isinstance(error, HTTPException):
        code = error.code or 500
        return code, _HTTP.get(code, "This request cannot be answered.")
    log.exception("unforeseen error", exc_info=error)
    return 500, "Something went wrong inside Upholster; the log says what. Nothing was changed."
