"""Drops a plate in, orders a clip of it, and fetches that: `script.py ADDRESS TOKEN plate.mp4 clip.mov`."""

import json
import sys
import time
from pathlib import Path
from urllib.request import Request, urlopen

address, token, plate, out = sys.argv[1], sys.argv[2], Path(sys.argv[3]), Path(sys.argv[4])


def ask(method: str, path: str, data: bytes | None = None, kind: str = "application/json", key: str = "") -> bytes:
    headers = {"Authorization": f"Bearer {token}", "Content-Type": kind, "Idempotency-Key": key}
    return urlopen(Request(f"{address}/api/v1{path}", data, headers, method=method)).read()


upload = json.loads(ask("POST", f"/uploads?size={plate.stat().st_size}", b""))["token"]
with plate.open("rb") as file:
    while block := file.read(8 << 20):
        at = file.tell() - len(block)
        ask("PUT", f"/uploads/{upload}?name={plate.name}&offset={at}", block, "application/octet-stream")
footage = json.loads(ask("POST", f"/uploads/{upload}/done?name={plate.name}", b""))
while footage["state"] == "reading":
    time.sleep(1)
    footage = json.loads(ask("GET", f"/footage/{footage['id']}"))
order = json.dumps({"shot": footage["shots"][0], "ready": "editing-master"}).encode()
render = json.loads(ask("POST", "/renders", order, key=f"{plate.name}, first clip"))["renders"][0]
while render["state"] in ("running", "encoding", "checking"):
    time.sleep(1)
    render = json.loads(ask("GET", f"/renders/{render['id']}"))
if render["clip"] is None:
    sys.exit(render["problem"])
out.write_bytes(ask("GET", f"/clips/{render['clip']}/file"))
print(render["proof"])
