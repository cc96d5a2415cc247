"""The program itself: how it is called, and how what goes wrong is said."""

import os
import signal
import sys
import threading
from importlib import import_module
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
#: Where each command is.
_COMMANDS = {
    **{name: name for name in ("finish", "fit", "key", "mark", "masks", "proof", "report", "timeline", "watch")},
    **dict.fromkeys(("formats", "probe"), "listing"),
}


class _Program(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        # What all commands need together takes seconds to load.
        if cmd_name in _COMMANDS:
            import_module(f"upholster.cli.{_COMMANDS[cmd_name]}")
        return super().get_command(ctx, cmd_name)

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
