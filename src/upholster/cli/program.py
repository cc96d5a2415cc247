"""The program itself: how it is called, and how what goes wrong is said."""

import os
import signal
import sys
import threading
from types import FrameType
from typing import Any, NoReturn

import click

from upholster import __version__
from upholster.core.documents.fitting import FittingError
from upholster.core.documents.recipe import RecipeError
from upholster.media.errors import MediaError
from upholster.memory import keep_freed_memory

#: Seconds after which a Ctrl-C is tried again that came where it would be swallowed.
_AGAIN = 0.1


class _Program(click.Group):
    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except (MediaError, RecipeError, FittingError) as error:
            _end(str(error))
        except BrokenPipeError:
            # Whoever read along has seen enough; click ends quietly.
            raise
        except OSError as error:
            # A disk that is full, or a folder that went away, in the middle of the work.
            place = f" {error.filename}" if error.filename else ""
            _end(f"The files could not be written:{place} {error.strerror or error}.")


def _interrupted(number: int, frame: FrameType | None) -> None:
    """Ctrl-C. What is raised while kernels are compiled ends in a callback of the compiler, and nobody hears of it."""
    while frame is not None:
        if "llvmlite" in frame.f_code.co_filename:
            again = threading.Timer(_AGAIN, os.kill, (os.getpid(), number))
            again.daemon = True
            again.start()
            return
        frame = frame.f_back
    raise KeyboardInterrupt


def _end(sentence: str) -> NoReturn:
    click.echo(f"upholster: {sentence}", err=True)
    sys.exit(1)


@click.group(cls=_Program)
@click.version_option(__version__)
def main() -> None:
    """Take the background out of a shot and deliver it with clean alpha."""
    keep_freed_memory()
    signal.signal(signal.SIGINT, _interrupted)
