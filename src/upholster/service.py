"""`bin/start`: the database, the web server and a worker, looked after until Ctrl-C."""

import argparse
import fcntl
import getpass
import logging
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import IO

from upholster.binding import BIND, beyond_loopback, own_url
from upholster.cluster import Cluster
from upholster.config import config, tell

#: Seconds between two questions whether the web server answers, and of silence after which it is started again.
_ASK, _SILENT = 5.0, 60.0

log = logging.getLogger(__name__)


def main() -> None:
    parser = argparse.ArgumentParser(prog="bin/start", description="Run Upholster until Ctrl-C.")
    parser.add_argument("--empty", action="store_true", help="start without demo data")
    parser.add_argument("--set-password", action="store_true", help="set the password asked for beyond this machine")
    parser.add_argument("--port", type=int, default=config().port)
    asked = parser.parse_args()
    os.umask(0o022)
    root = _data_root()
    if asked.set_password:
        _set_password()
        return
    _check_password()
    held = _hold(root)
    supervisor = Supervisor(root)
    for sign in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(sign, supervisor.stop)
    try:
        supervisor.open(_free_port(asked.port, BIND), demo=not asked.empty)
        supervisor.look_after()
    finally:
        supervisor.close()
        held.close()


def _data_root() -> Path:
    """The data folder: ``UPHOLSTER_DATA``, or the usual place for root and for a user."""
    usual = (
        Path("/var/lib/upholster")
        if os.geteuid() == 0
        else Path(os.environ.get("XDG_DATA_HOME", Path.home() / ".local/share")) / "upholster"
    )
    root = (config().data or usual).resolve()
    root.mkdir(parents=True, exist_ok=True)
    tell("data", str(root))
    return root


def _set_password() -> None:
    """Ask for a password and keep it; from a pipe, its first line is the password."""
    from upholster.studio.errors import Refused
    from upholster.studio.password import set_password

    word = getpass.getpass("Password: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    try:
        set_password(word)
    except Refused as refused:
        sys.exit(str(refused))
    print("The password is set.")


def _check_password() -> None:
    """Whoever answers to other machines wants a password first."""
    if not beyond_loopback():
        return
    from upholster.studio.password import is_set

    if not is_set():
        sys.exit(
            f"Upholster would answer to other machines at {BIND}, so it wants a password: "
            "set one with bin/start --set-password, then start again."
        )


def _hold(root: Path) -> IO[str]:
    """One house a data folder; a second start says where the first one answers."""
    held = (root / "running").open("a+")
    try:
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        held.seek(0)
        sys.exit(f"Upholster is running already at {held.read().strip() or 'an address it is about to print'}")
    held.truncate(0)
    return held


def _free_port(wanted: int, bind: str = "127.0.0.1") -> int:
    for port in (*range(wanted, wanted + 20), 0):
        family = socket.AF_INET6 if ":" in bind else socket.AF_INET
        with socket.socket(family) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((bind, port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    sys.exit(f"No port is free at {bind}, or it is no address of this machine.")


class Supervisor:
    """The processes that make up a running Upholster."""

    def __init__(self, root: Path) -> None:
        self._root = root
        self._log = (root / "log.txt").open("ab")
        self._running: dict[str, subprocess.Popen[bytes]] = {}
        self._start: dict[str, Callable[[], subprocess.Popen[bytes]]] = {}
        self._stopping = False
        self._address = ""
        self._asked = self._answered = time.monotonic()

    def open(self, port: int, *, demo: bool) -> None:
        """Start everything, in order, and print the address once it answers."""
        database_port = _free_port(config().database_port)
        cluster = Cluster(self._root / "postgres", database_port, self._log)
        self._keep("database", cluster.start)
        tell("database", cluster.address)
        self._wait_for("the database", cluster.answers)
        from upholster.store.migrate import migrate

        migrate()
        self._keep("worker", lambda: self._python("upholster.work.worker"))
        self._keep("web", lambda: self._python("upholster.web", str(port)))
        self._address = own_url(port)
        self._wait_for("the web server", lambda: _answers(self._address))
        (self._root / "running").write_text(self._address)
        print(f"Upholster is ready at {self._address}", flush=True)
        if demo:
            threading.Thread(target=self._furnish, daemon=True).start()

    def _furnish(self) -> None:
        from upholster.studio.stock.demo_stock import furnish

        try:
            furnish(lambda words: print(words, flush=True), lambda: self._stopping)
        except Exception:
            log.exception("the demo could not be brought in; the next start goes on with it")

    def look_after(self) -> None:
        """Start again what dies, until told to stop."""
        while not self._stopping:
            for name, process in self._running.items():
                if process.poll() is not None and not self._stopping:
                    print(f"The {name} stopped; starting it again.", flush=True)
                    self._running[name] = self._start[name]()
            self._check_web()
            time.sleep(0.5)

    def _check_web(self) -> None:
        """A web server that is there but has not answered for long is started again."""
        now = time.monotonic()
        if now - self._asked < _ASK:
            return
        if _answers(self._address):
            self._answered = time.monotonic()
        elif now - self._answered > _SILENT:
            print("The web server does not answer; starting it again.", flush=True)
            self._running["web"].kill()
            self._answered = time.monotonic()
        self._asked = time.monotonic()

    def stop(self, sign: int = 0, frame: FrameType | None = None) -> None:
        self._stopping = True

    def close(self) -> None:
        for name in ("web", "worker", "database"):
            process = self._running.get(name)
            if process is None or process.poll() is not None:
                continue
            # PostgreSQL takes SIGINT for "fast shutdown".
            process.send_signal(signal.SIGINT if name == "database" else signal.SIGTERM)
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()
        (self._root / "running").write_text("")
        self._log.close()

    def _keep(self, name: str, start: Callable[[], subprocess.Popen[bytes]]) -> None:
        self._start[name] = start
        self._running[name] = start()

    def _python(self, module: str, *arguments: str) -> subprocess.Popen[bytes]:
        command = ["setpriv", "--pdeathsig", "KILL", sys.executable, "-m", module, *arguments]
        return subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=self._log, stderr=self._log, process_group=0)

    def _wait_for(self, what: str, answers: Callable[[], bool]) -> None:
        # The first start of an installation compiles the kernels, which takes long on a busy machine.
        deadline = time.monotonic() + 300
        while not answers():
            if self._stopping:
                sys.exit(0)
            if time.monotonic() > deadline:
                sys.exit(f"{what.capitalize()} does not answer; {self._root / 'log.txt'} says why.")
            for name, process in self._running.items():
                if process.poll() is not None:
                    self._running[name] = self._start[name]()
                    time.sleep(0.5)
            time.sleep(0.05)


def _answers(address: str) -> bool:
    try:
        with urllib.request.urlopen(f"{address}/health", timeout=2) as answer:
            return bool(answer.status == 200)
    except (urllib.error.URLError, OSError):
        return False


if __name__ == "__main__":
    main()
