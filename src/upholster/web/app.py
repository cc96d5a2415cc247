"""The application and its rules for every request and answer."""

import hmac
import os
import secrets
from pathlib import Path

from flask import Flask, Response, jsonify, redirect, render_template, request, session, url_for
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException
from werkzeug.wrappers import Response as AnyResponse

from upholster.core.recipe import RecipeError
from upholster.media.errors import MediaError
from upholster.studio.errors import Missing, Refused
from upholster.studio.places import data_root
from upholster.web import words
from upholster.web.pages import bench, deliver, footage, renders, stockroom

#: Largest single request; files are sent in blocks below it.
BLOCK = 16 << 20

_POLICY = (
    "default-src 'self'; img-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'none'"
)


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
    app.jinja_env.globals["csrf_token"] = _csrf_token
    for page in (footage.page, bench.page, deliver.page, renders.page, stockroom.page):
        app.register_blueprint(page)
    app.before_request(_check)
    app.after_request(_harden)
    app.register_error_handler(Exception, _explain)

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


def _csrf_token() -> str:
    if "csrf" not in session:
        session["csrf"] = secrets.token_urlsafe(24)
    return str(session["csrf"])


def _check() -> Response | None:
    """Known host names only (against DNS rebinding), and a token with everything that changes something."""
    known = {"127.0.0.1", "localhost", "[::1]", *os.environ.get("UPHOLSTER_HOSTS", "").split()}
    if request.host.rsplit(":", 1)[0] not in known:
        return _problem(f"This house does not answer to the name {request.host[:80]}.", 421)
    if request.method not in ("GET", "HEAD", "OPTIONS"):
        sent = request.headers.get("X-CSRF-Token", "")
        if not hmac.compare_digest(sent, str(session.get("csrf", ""))) or not sent:
            return _problem("This page is out of date. Load it again.", 403)
    return None


def _harden(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = _POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
    return response


def _explain(error: Exception) -> Response | tuple[str, int]:
    match error:
        case Missing():
            code, sentence = 404, str(error)
        case Refused() | MediaError() | RecipeError():
            code, sentence = 422, str(error)
        case OperationalError():
            code, sentence = (
                503,
                "The database does not answer just now. Nothing is lost; try again in a moment.",
            )
        case HTTPException():
            code = error.code or 500
            sentence = {
                404: "There is nothing at this address.",
                413: "This is too large to send in one piece.",
            }.get(code, "This request cannot be answered.")
        case _:
            from flask import current_app

            current_app.logger.exception("unforeseen error")
            code, sentence = (
                500,
                "Something went wrong inside Upholster; the log says what. Nothing was changed.",
            )
    if (
        request.accept_mimetypes.best_match(["application/json", "text/html"]) == "text/html"
        and "HX-Request" not in request.headers
    ):
        return render_template("problem.html", sentence=sentence), code
    return _problem(sentence, code)


def _problem(sentence: str, code: int) -> Response:
    response = jsonify(problem=sentence)
    response.status_code = code
    return response
