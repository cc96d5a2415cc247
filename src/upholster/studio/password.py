"""The password of a house that answers to more than its own machine; accounts proper come later."""

import os
from pathlib import Path

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHashError

from upholster.studio import paths
from upholster.studio.errors import Refused

#: Fewest characters (NIST SP 800-63B, 5.1.1.1).
SHORTEST = 8


def is_set() -> bool:
    return _file().exists()


def set_password(word: str) -> None:
    """Keep a password, as an Argon2id hash (RFC 9106)."""
    if not SHORTEST <= len(word) <= 1000:
        raise Refused(f"A password has at least {SHORTEST} characters.")
    hashed = PasswordHasher().hash(word)
    part = _file().with_suffix(".part")
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        file.write(hashed)
    part.replace(_file())


def is_right(word: str) -> bool:
    """Whether a word is the password; takes its time, so that guessing does."""
    try:
        return PasswordHasher().verify(_file().read_text(), word[:1000])
    except (Argon2Error, InvalidHashError, OSError, UnicodeError):
        return False


def _file() -> Path:
    return paths.data_root() / "password-hash"
