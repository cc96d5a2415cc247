"""Decoding children, forked within milliseconds from a program that has everything imported."""

import atexit
import contextlib
import os
import signal
import socket
import subprocess
import sys
import threading
from typing import IO, NamedTuple

#: Room in the pipe that pictures come through, in bytes.
_PIPE = 1 << 20
_F_SETPIPE_SZ = 1031

# Taken again by a reader that is cleared away in the middle of it.
_lock = threading.RLock()
_server: "_Server | None" = None


class Child(NamedTuple):
    """A decoding child: its process number within its server, and the pipes to it."""

    number: int
    requests: IO[bytes]
    answers: IO[bytes]
    server: "_Server"

    def end(self) -> None:
        """Stop it at once, whatever it does."""
        for pipe in (self.requests, self.answers):
            # What it has not read yet does not matter any more.
            with contextlib.suppress(OSError):
                pipe.close()
        with _lock, contextlib.suppress(OSError):
            self.server.control.send(str(self.number).encode())


class _Server:
    """A running `forkserver`."""

    def __init__(self) -> None:
        self.owner = os.getpid()
        self.control, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        allowed = ("UPHOLSTER_MAX", "UPHOLSTER_DECODER")
        given = {k: v for k, v in os.environ.items() if k in ("PATH", "LANG", "HOME") or k.startswith(allowed)}
        with theirs:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "upholster.media.decoder.forkserver"],
                stdin=theirs.fileno(),
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                # Threads of its own would not come along into the children.
                env={**given, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"},
                process_group=0,
            )
        if self.control.recv(16) != b"ready":
            self.close()
            raise OSError("the decoder did not start")

    def fork(self, requests: int, answers: int) -> int:
        socket.send_fds(self.control, [b"fork"], [requests, answers])
        return int(self.control.recv(16) or b"0")

    def close(self) -> None:
        self.control.close()
        if self.owner == os.getpid():
            self._process.send_signal(signal.SIGKILL)
            self._process.wait()


def start_child() -> Child:
    """A new child; the server it comes from is started where there is none, or where it was killed.

    Raises
    ------
    OSError
        Where no process can be started.
    """
    global _server
    their_requests, requests = os.pipe()
    answers, their_answers = os.pipe()
    try:
        with _lock:
            for attempt in range(2):
                if _server is None or _server.owner != os.getpid():
                    _server = _Server()
                with contextlib.suppress(OSError):
                    if number := _server.fork(their_requests, their_answers):
                        break
                _server.close()
                _server = None
                if attempt:
                    raise OSError("no decoder can be started")
            server = _server
    except OSError:
        os.close(requests)
        os.close(answers)
        raise
    finally:
        os.close(their_requests)
        os.close(their_answers)
    assert server is not None
    _widen(answers)
    return Child(number, os.fdopen(requests, "wb"), os.fdopen(answers, "rb", buffering=0), server)


def _widen(pipe: int) -> None:
    import fcntl

    os.set_blocking(pipe, False)
    with contextlib.suppress(OSError):
        fcntl.fcntl(pipe, _F_SETPIPE_SZ, _PIPE)


@atexit.register
def close_server() -> None:
    """End the server and its children; the next child starts a new one, with the settings of then."""
    global _server
    if _server is not None and _server.owner == os.getpid():
        _server.close()
    _server = None
