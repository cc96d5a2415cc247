"""What a decoding child cannot do. The locks are Linux's: Landlock, seccomp, users."""

import json
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

from upholster.media.decoder.reader import Reader, probe
from upholster.media.errors import MediaError

#: Tries what a hostile decoder would, and prints what came of each.
_TRY = """
import json, os, socket, sys
from pathlib import Path
from upholster.media.decoder.sandbox import confine
plate, secret, elsewhere = map(Path, sys.argv[1:])
confine([plate])
def attempt(what):
    try:
        what()
        return "done"
    except OSError as error:
        return type(error).__name__
print(json.dumps({
    "plate": attempt(plate.read_bytes),
    "socket": attempt(lambda: socket.create_connection(("127.0.0.1", 9))),
    "raw socket": attempt(lambda: socket.socket(socket.AF_INET, socket.SOCK_DGRAM)),
    "password": attempt(secret.read_bytes),
    "write": attempt(lambda: elsewhere.write_text("x")),
    "shorten": attempt(lambda: os.truncate(plate, 0)),
    "remove": attempt(plate.unlink),
    "program": attempt(lambda: os.execv("/bin/true", ["true"])),
    "environment": attempt(Path(f"/proc/{os.getppid()}/environ").read_bytes),
    "root again": attempt(lambda: os.setuid(0)) if not os.geteuid() else "PermissionError",
}), flush=True)
status = Path("/proc/self/status").read_text() if attempt(Path("/proc/self/status").read_text) == "done" else ""
print(os.getuid(), flush=True)
"""


@pytest.fixture
def private(tmp_path: Path) -> Path:
    """A folder that only its owner may enter, as a home is."""
    folder = tmp_path / "private"
    folder.mkdir(mode=0o700)
    return folder


def test_a_decoder_can_read_its_file_and_do_nothing_else(private: Path) -> None:
    plate, secret, elsewhere = private / "plate.mp4", private / "database-password", private / "new"
    plate.write_bytes(b"frames")
    secret.write_text("word")
    for file in (plate, secret):
        file.chmod(0o600)
    tried = subprocess.run(
        [sys.executable, "-c", _TRY, plate, secret, elsewhere], capture_output=True, text=True, check=True
    ).stdout.splitlines()
    found = json.loads(tried[0])
    assert found.pop("plate") == "done"
    assert set(found.values()) == {"PermissionError"}, found
    assert plate.read_bytes() == b"frames" and not elsewhere.exists()
    assert int(tried[1]) != 0 or os.geteuid() != 0


def test_the_readers_own_child_is_confined(clip_file: Path) -> None:
    with Reader([clip_file]) as reader:
        assert reader._child is not None
        status = Path(f"/proc/{reader._child.number}/status").read_text()
    assert "NoNewPrivs:\t1" in status and "Seccomp:\t2" in status
    assert f"Uid:\t{65534 if os.geteuid() == 0 else os.geteuid()}\t" in status


def test_the_memory_limit_of_the_settings_reaches_the_child(clip_file: Path) -> None:
    code = "import sys; from pathlib import Path; from upholster.media.decoder.reader import Reader\n"
    code += "r = Reader([Path(sys.argv[1])]); print(open(f'/proc/{r._child.number}/limits').read())"
    environment = {**os.environ, "UPHOLSTER_DECODER_GIB": "3"}
    told = subprocess.run([sys.executable, "-c", code, clip_file], capture_output=True, text=True, env=environment)
    (line,) = (line for line in told.stdout.splitlines() if line.startswith("Max address space"))
    assert line.split()[3] == str(3 << 30)


def test_a_decoder_server_that_was_killed_is_started_again(clip_file: Path) -> None:
    with Reader([clip_file]) as reader:
        assert reader._child is not None
        server = reader._child.server
        server._process.kill()
        server._process.wait()
        time.sleep(0.2)
        with pytest.raises(MediaError, match="stopped short"):
            list(reader.frames(range(3)))
        assert len(list(reader.frames(range(3)))) == 3
    assert probe([clip_file]).length == 24
