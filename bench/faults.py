"""Whether anything is lost when parts of a house are killed at the worst moments.

    .venv/bin/python -m bench.faults [--kills 50] [--seed 1]

In a house of its own, films are uploaded and renders ordered without pause, while the worker, the web server, the
database and the decoders are killed at random (the same ones for the same seed), in whatever phase they are. At
the end everything that was answered as done must be there whole, and nothing half may be listed.
"""

import argparse
import hashlib
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

import av
import numpy as np

PORT = 8941
PARTS = ["upholster.work.worker", "upholster.web", "postgres -D", "upholster.media.decoder.forkserver"]
FORMATS = ["ffv1", "png8", "gif", "prores4444", "vp9"]
ACTIVE = ("running", "encoding", "checking")


def film(number: int) -> bytes:
    """A short clip of a disc before green, each with bytes of its own."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.mp4"
        with av.open(str(path), "w") as container:
            stream = container.add_stream("libx264", rate=24, options={"crf": "18", "g": "12"})
            stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
            y, x = np.mgrid[0:180, 0:320]
            for n in range(30):
                inside = np.hypot(x - 80 - 5 * n, y - 90 + number % 7) < 40 + number % 11
                picture = np.where(inside[..., None], (200, 140, 110), (40, 150 + number % 20, 60)).astype(np.uint8)
                container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, "rgb24").reformat(format="yuv420p")))
            container.mux(stream.encode(None))
        return path.read_bytes()


class Guest:
    """Somebody at a browser who tries again when the house does not answer."""

    def __init__(self, address: str) -> None:
        self._address = address
        self._open = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar())).open
        self._token = ""

    def ask(self, path: str, body: Any = None, method: str | None = None) -> tuple[int, Any]:
        """Status and JSON; 0 where there was no answer."""
        try:
            if not self._token:
                page = self._open(f"{self._address}/footage", timeout=60).read().decode()
                self._token = page.split('csrf-token" content="')[1].split('"')[0]
            data = body if isinstance(body, bytes) or body is None else json.dumps(body).encode()
            headers = {"X-CSRF-Token": self._token, "Content-Type": "application/json", "Accept": "application/json"}
            answer = self._open(urllib.request.Request(self._address + path, data, headers, method=method), timeout=120)
            return answer.status, json.loads(answer.read() or b"null")
        except urllib.error.HTTPError as error:
            return error.code, None
        except (OSError, ValueError):
            return 0, None

    def insist(
        self, path: str, body: Any = None, method: str | None = None, stop: threading.Event | None = None
    ) -> Any:
        """Ask until there is an answer that is not a 5xx; None where it is a refusal, or it is time to stop."""
        while not (stop and stop.is_set()):
            status, told = self.ask(path, body, method)
            if status == 200:
                return told
            if 400 <= status < 500:
                return None
            time.sleep(0.5)
        return None


def pids(root: Path, words: str) -> list[int]:
    found = []
    for entry in Path("/proc").iterdir():
        if not entry.name.isdigit():
            continue
        try:
            called = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
            parent = (entry / "stat").read_text().rsplit(")", 1)[1].split()[1]
            near = (Path("/proc") / number / "environ" for number in (entry.name, parent))
            ours = any(str(root).encode() in environment.read_bytes() for environment in near)
        except OSError:
            continue
        if words in called and ours:
            found.append(int(entry.name))
    return found


def work(guest: Guest, known: dict[str, dict[str, Any]], stop: threading.Event, number: int) -> None:
    """Bring films in and order renders of them until told to stop, noting what was answered as done."""
    choose = random.Random(number)
    while not stop.is_set():
        number += 100
        data = film(number)
        begun = guest.insist("/footage/uploads", {"size": len(data)}, stop=stop)
        if not begun:
            continue
        token, at = begun["token"], 0
        for at in range(0, len(data), 4096):
            if (
                guest.insist(f"/footage/uploads/{token}?name=f.mp4&offset={at}", data[at : at + 4096], "PUT", stop)
                is None
            ):
                break
        done = guest.insist(f"/footage/uploads/{token}/done", {"name": f"film {number}.mp4"}, stop=stop)
        if done:
            digest = hashlib.sha256(data).hexdigest()
            known["footage"][digest] = done["id"]
            wanted = {"shots": [done["id"]], "delivery": {"format": choose.choice(FORMATS)}}
            for _ in range(60):
                status, told = guest.ask("/renders/batch", wanted)
                if status == 200:
                    known["renders"].update(dict.fromkeys(told["names"], digest))
                    break
                if stop.is_set():
                    return
                time.sleep(0.5)


def settled(root: Path, address: str) -> None:
    """Wait until nothing is under way; renders that a killed decoder ended are started again, as a person would."""
    from sqlalchemy import select

    from upholster.store.models import Footage, Render
    from upholster.store.session import session
    from upholster.studio.renders import renders

    deadline = time.monotonic() + 600
    while time.monotonic() < deadline:
        time.sleep(1)
        try:
            with session() as db:
                rows = list(db.execute(select(Render.id, Render.state, Render.problem)))
                reading = db.scalars(select(Footage.id).where(Footage.state == "reading")).all()
        except Exception:
            continue
        for row in rows:
            if row.state == "failed" and "stopped short" in row.problem:
                renders.retry(row.id)
        if not reading and not any(r.state in ACTIVE or (r.state == "failed" and "short" in r.problem) for r in rows):
            return
    print("after ten minutes something is still under way")


def inspect(root: Path, known: dict[str, dict[str, Any]]) -> list[str]:
    """What is wrong: something answered as done that is not there, something listed that is not whole."""
    from sqlalchemy import select

    from upholster.media.decoder.reader import Reader
    from upholster.store.models import Clip, Footage, Render
    from upholster.store.session import session
    from upholster.studio import paths

    wrong = []
    with session() as db:
        footage = {f.sha256: f for f in db.scalars(select(Footage))}
        renders = {r.name: r for r in db.scalars(select(Render))}
        clips = {c.render_id: c for c in db.scalars(select(Clip))}
    for digest in known["footage"]:
        row = footage.get(digest)
        if row is None:
            wrong.append(f"an upload answered as done is gone: {digest[:8]}")
        elif row.state == "failed":
            # A decoder killed while reading is taken for a bad file; bringing it in again reads it.
            continue
        elif hashlib.sha256((paths.footage_folder(digest) / row.files[0]).read_bytes()).hexdigest() != digest:
            wrong.append(f"footage {row.name} has other bytes")
    for name in known["renders"]:
        if name not in renders:
            wrong.append(f"a render answered as ordered is gone: {name}")
        elif renders[name].state != "done":
            wrong.append(f"{name} is {renders[name].state}: {renders[name].problem}")
        elif renders[name].id not in clips:
            wrong.append(f"{name} is done, but not in the stockroom")
    for clip in clips.values():
        file = paths.clip_folder(clip.render_id) / clip.file
        beside = [file.with_name(file.name + ".json"), file.with_name("preview.webm")]
        if not all(p.is_file() for p in (file, *beside)) or file.stat().st_size != clip.bytes:
            wrong.append(f"{clip.name} is listed, but its files are not whole")
        elif file.suffix != ".zip":
            with Reader([file]) as reader:
                if reader.facts.length != 30 or not list(reader.frames(range(29, 30))):
                    wrong.append(f"{clip.name} has {reader.facts.length} frames")
    time.sleep(6)
    wrong += [f"{p} was left behind" for p in paths.render_folders()]
    listed = {str(render_id) for render_id in clips}
    wrong += [f"{p} was left behind" for p in paths.clip_folders() if p.name not in listed]
    return wrong


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench.faults")
    parser.add_argument("--kills", type=int, default=50)
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    root = Path(tempfile.mkdtemp(prefix="upholster-faults-"))
    root.chmod(0o755)
    os.environ.update(UPHOLSTER_DATA=str(root), UPHOLSTER_STALLED_SECONDS="3")
    command = [sys.executable, "-m", "upholster.service", "--port", str(PORT), "--empty"]
    house = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert house.stdout is not None
    address = next(line.split()[-1] for line in house.stdout if "ready at" in line)
    threading.Thread(target=house.stdout.read, daemon=True).start()
    password, port = (root / "database-password").read_text(), (root / "postgres/data/postmaster.pid").read_text()
    place = f"127.0.0.1:{port.splitlines()[3]}"
    os.environ["UPHOLSTER_DATABASE"] = f"postgresql://upholster:{password}@{place}/postgres"
    known: dict[str, dict[str, Any]] = {"footage": {}, "renders": {}}
    stop, choose = threading.Event(), random.Random(asked.seed)
    guests = [threading.Thread(target=work, args=(Guest(address), known, stop, k)) for k in (1, 2)]
    for guest in guests:
        guest.start()
    killed: dict[str, int] = dict.fromkeys(PARTS, 0)
    while sum(killed.values()) < asked.kills:
        time.sleep(choose.uniform(0.3, 6.0))
        part = choose.choice(PARTS)
        victims = [pid for pid in pids(root, part) if pid != house.pid]
        for pid in victims:
            try:
                os.kill(pid, signal.SIGKILL)
            except ProcessLookupError:
                continue
        killed[part] += bool(victims)
    stop.set()
    for guest in guests:
        guest.join()
    settled(root, address)
    wrong = inspect(root, known)
    house.send_signal(signal.SIGINT)
    house.wait(60)
    print(f"kills: {', '.join(f'{name} {count}' for name, count in killed.items())}")
    print(f"answered as done: {len(known['footage'])} uploads, {len(known['renders'])} renders ordered")
    for line in wrong:
        print(f"WRONG: {line}")
    print("nothing is lost, nothing half is listed" if not wrong else f"{len(wrong)} things are wrong")
    sys.exit(bool(wrong))


if __name__ == "__main__":
    main()
