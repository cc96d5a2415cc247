"""Tokens by which scripts come in: made once, kept as a digest, taken back at any time."""

import secrets
from hashlib import sha256

from sqlalchemy import delete, func, select, update
from sqlalchemy.exc import IntegrityError

from upholster.store.models import ScriptToken
from upholster.store.session import session
from upholster.studio.errors import Missing, Refused
from upholster.studio.naming import clean

#: What a token begins with, so that it is known for one where it turns up.
_MARK = "uph_"
#: Most tokens of a house.
_MOST = 200


def issue(name: str) -> str:
    """A new token; it is told this once, and never again.

    Notes
    -----
    256 random bits (NIST SP 800-63B, 5.1.2, asks for 20), so that a plain digest of it cannot be searched through.
    """
    name = clean(name, 80)
    if not name:
        raise Refused("Give the token a name: of the script, or of the machine it runs on.")
    token = _MARK + secrets.token_urlsafe(32)
    try:
        with session() as db:
            if (db.scalar(select(func.count(ScriptToken.id))) or 0) >= _MOST:
                raise Refused(f"There are {_MOST} tokens already. Take back those that are not used any more.")
            db.add(ScriptToken(name=name, digest=_digest(token)))
    except IntegrityError:
        raise Refused(
            f"There is a token called “{name}” already. Choose another name, or take that one back."
        ) from None
    return token


def all_tokens() -> list[ScriptToken]:
    """The tokens that are good, by name."""
    with session() as db:
        return list(db.scalars(select(ScriptToken).order_by(ScriptToken.name)))


def take_back(token_id: int) -> None:
    """Make a token good for nothing."""
    with session() as db:
        gone = db.execute(delete(ScriptToken).where(ScriptToken.id == token_id).returning(ScriptToken.id)).first()
    if gone is None:
        raise Missing("This token is not here any more.")


def known(token: str) -> int | None:
    """The number of a token that is good; it is noted that it was used."""
    if not token.startswith(_MARK):
        return None
    with session() as db:
        used = update(ScriptToken).where(ScriptToken.digest == _digest(token)).values(used_at=func.now())
        return db.scalar(used.returning(ScriptToken.id))


def _digest(token: str) -> bytes:
    return sha256(token.encode()).digest()
