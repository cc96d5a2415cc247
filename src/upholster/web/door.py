"""Who may come in: known host names, a token with everything that changes something, a password beyond loopback."""

import threading
import time

from flask import Blueprint, Flask, Response, redirect, render_template, request, url_for
from flask_login import LoginManager, UserMixin, current_user, login_user, logout_user
from flask_wtf.csrf import CSRFProtect
from werkzeug.wrappers import Response as AnyResponse

from upholster.binding import BIND, as_address, beyond_loopback
from upholster.config import config
from upholster.studio import password
from upholster.studio.errors import Refused

page = Blueprint("door", __name__)

_LOOPBACK = ("127.0.0.1", "localhost", "::1")
#: What can be asked for without the password.
_OPEN = {"door.show", "door.come_in", "static", "health"}
#: Seconds between two guesses of the password.
_GUESS = 1.0

_guessing = threading.Lock()


class NotKnown(Refused):
    """The request names a host that is not this one."""


class NotIn(Refused):
    """The password is wanted first."""


class Owner(UserMixin):
    """Whoever knows the password."""

    id = "owner"


def guard(app: Flask) -> CSRFProtect:
    """Put the door into an application; what is given back lets parts of it do without the token of pages."""
    app.register_blueprint(page)
    app.jinja_env.globals["has_password"] = beyond_loopback
    login = LoginManager(app)
    login.user_loader(lambda name: Owner() if name == Owner.id else None)
    app.before_request(_check_host)
    # A token is good as long as its session is; a page may stay open for days.
    app.config.update(WTF_CSRF_TIME_LIMIT=None, WTF_CSRF_FIELD_NAME="token", WTF_CSRF_HEADERS=["X-CSRF-Token"])
    protection = CSRFProtect(app)
    app.before_request(_check_password)
    return protection


def _check_host() -> None:
    host = _host_asked()
    if not _is_ours(host):
        raise NotKnown(f"This house does not answer to the name {host[:80]}.")


def _check_password() -> AnyResponse | None:
    # Scripts have tokens of their own.
    if request.blueprint == "api":
        return None
    if beyond_loopback() and request.endpoint not in _OPEN and not current_user.is_authenticated:
        if request.method == "GET" and request.accept_mimetypes.accept_html and "HX-Request" not in request.headers:
            return redirect(url_for("door.show"))
        raise NotIn("Come in with the password first.")
    return None


def _host_asked() -> str:
    """The name in the Host header, without its port and without the brackets of IPv6 (RFC 3986, 3.2.2)."""
    given = request.environ.get("HTTP_HOST", "")
    if given.startswith("["):
        return str(given[1:].partition("]")[0])
    return str(given.partition(":")[0])


def _is_ours(host: str) -> bool:
    """Whether a name is one of this house's.

    Names of the loopback are ours only where the request comes from this machine; any other name must have been
    given, lest another site's name be pointed here (DNS rebinding). A plain address cannot be pointed anywhere.
    """
    if host.lower() in config().hosts.lower().split():
        return True
    if host in _LOOPBACK:
        peer = as_address(request.remote_addr or "")
        return peer is not None and peer.is_loopback
    if not beyond_loopback():
        return host == BIND
    asked, listening = as_address(host), as_address(BIND)
    if asked is None or listening is None or not listening.is_unspecified:
        return host == BIND
    return not asked.is_loopback


@page.get("/door")
def show() -> AnyResponse | str:
    if not beyond_loopback() or current_user.is_authenticated:
        return redirect(url_for("home"))
    return render_template("door.html", wrong=False)


@page.post("/door")
def come_in() -> AnyResponse | tuple[str, int]:
    if not beyond_loopback():
        return redirect(url_for("home"))
    # One guess at a time, and not many a minute.
    with _guessing:
        right = password.is_right(request.form.get("password", ""))
        if not right:
            time.sleep(_GUESS)
    if not right:
        return render_template("door.html", wrong=True), 403
    login_user(Owner())
    return redirect(url_for("home"))


@page.post("/door/leave")
def leave() -> Response:
    logout_user()
    response = Response()
    response.headers["HX-Redirect"] = url_for("door.show")
    return response
