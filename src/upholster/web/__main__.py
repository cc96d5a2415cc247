"""`python -m upholster.web PORT`: the web server, on loopback unless told otherwise."""

import logging
import os
import sys

from waitress import serve

from upholster.memory import keep_freed_memory
from upholster.web.app import create_app


def main() -> None:
    keep_freed_memory()
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    serve(
        create_app(),
        host=os.environ.get("UPHOLSTER_BIND", "127.0.0.1"),
        port=int(sys.argv[1]),
        threads=10,
        ident=None,
        max_request_body_size=32 << 20,
        send_bytes=1 << 18,
        outbuf_overflow=64 << 20,
    )


if __name__ == "__main__":
    main()
