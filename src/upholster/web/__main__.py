"""`python -m upholster.web PORT`: the web server, on loopback unless told otherwise."""

import logging
import sys

from waitress import serve

from upholster.binding import BIND
from upholster.memory import keep_freed_memory
from upholster.web.app import create_app


def main() -> None:
    keep_freed_memory()
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    serve(
        create_app(),
        host=BIND,
        port=int(sys.argv[1]),
        # Most of them wait: only what has come in can be passed over for something newer.
        threads=32,
        ident=None,
        max_request_body_size=32 << 20,
        send_bytes=1 << 18,
        outbuf_overflow=64 << 20,
    )


if __name__ == "__main__":
    main()
