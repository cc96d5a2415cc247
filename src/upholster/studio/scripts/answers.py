"""Answers that are given once: a request that is sent again with its key makes nothing new."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

from sqlalchemy import delete, func, text

from upholster.store.models import ScriptAnswer
from upholster.store.session import session
from upholster.studio.errors import Refused

#: How long an answer is kept.
_KEPT = timedelta(days=7)
#: Longest key.
LONGEST = 200


def once(token_id: int, key: str, asked: bytes, make: Callable[[], Any]) -> Any:
    """What `make` gives, or gave when the same was asked by this token under this key.

    Parameters
    ----------
    key
        Chosen by the script; empty where it does not mind to make things twice.
    asked
        A digest of all that is asked.

    Raises
    ------
    Refused
        Where something else was asked under the key before.
    """
    if not key:
        return make()
    if len(key) > LONGEST:
        raise Refused(f"An Idempotency-Key has at most {LONGEST} characters.")
    with session() as db:
        # Whoever sends the same a second time meanwhile waits for the first to be answered.
        db.execute(text("SELECT pg_advisory_xact_lock(hashtextextended(:lock, 1))"), {"lock": f"{token_id} {key}"})
        db.execute(delete(ScriptAnswer).where(ScriptAnswer.created_at < func.now() - _KEPT))
        before = db.get(ScriptAnswer, (token_id, key))
        if before is not None:
            if before.asked != asked:
                raise Refused("This Idempotency-Key was used for another request. Choose a new one.")
            return before.answer
        answer = make()
        db.add(ScriptAnswer(token_id=token_id, key=key, asked=asked, answer=answer))
        return answer
