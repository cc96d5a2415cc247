"""Every setting of the program, from the environment: ``UPHOLSTER_`` and the name in capitals."""

import os
from functools import lru_cache
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


def _cores() -> int:
    return os.cpu_count() or 1


class Config(BaseSettings):
    """Settings; what is misspelt or out of bounds stops the start with a sentence that names it."""

    model_config = SettingsConfigDict(env_prefix="UPHOLSTER_", env_ignore_empty=True, frozen=True)

    data: Path | None = Field(default=None, description="The data folder.")
    database: str = Field(default="", description="libpq connection string of the project's database.")
    bind: str = Field(default="127.0.0.1", description="Address of this machine that is listened on, or all of them.")
    port: int = Field(default=8750, ge=1, le=65535, description="Port of the web server.")
    database_port: int = Field(default=5480, ge=1, le=65535, description="First port tried for the database.")
    hosts: str = Field(default="", description="Further names this house answers to, with spaces between.")
    workers: int = Field(default_factory=_cores, ge=1, le=256, description="Jobs worked on side by side.")
    stalled_seconds: float = Field(default=15, gt=0, description="After how long a silent worker is taken for dead.")
    watch: Path | None = Field(default=None, description="The folder that may be watched, with those in it, two deep.")
    request_seconds: float = Field(default=120, gt=0, description="How long a request may take.")
    pictures_mib: int = Field(default=800, ge=1, description="Memory for pictures that are looked at.")
    max_pixels: int = Field(default=8192 * 4320, ge=1, description="Largest picture, in pixels.")
    max_frames: int = Field(default=250_000, ge=1, description="Most frames of one piece of footage.")
    max_hours: float = Field(default=6, gt=0, description="Longest footage.")
    max_upload_gib: float = Field(default=8, gt=0, description="Largest upload.")
    decoder_gib: float = Field(default=6, gt=0, description="Address space of a decoding child.")
    decoder_seconds: float = Field(default=120, gt=0, description="How long a decoding child may take to answer.")


def config() -> Config:
    """The settings as the environment has them now."""
    return _read(tuple(sorted(item for item in os.environ.items() if item[0].startswith("UPHOLSTER_"))))


@lru_cache(maxsize=4)
def _read(environment: tuple[tuple[str, str], ...]) -> Config:
    return Config()


def tell(name: str, value: str) -> None:
    """Set a setting for this process and those it starts."""
    os.environ[f"UPHOLSTER_{name.upper()}"] = value
