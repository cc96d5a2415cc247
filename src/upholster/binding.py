"""The address that the web server listens on."""

import ipaddress

from upholster.config import config

#: An address of this machine, or all of them.
BIND = config().bind.strip("[]")


def as_address(given: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address | None:
    """An IP address; None where it is a name."""
    try:
        return ipaddress.ip_address(given)
    except ValueError:
        return None


def beyond_loopback(bind: str = BIND) -> bool:
    """Whether what is listened on can be reached from other machines."""
    address = as_address(bind)
    return bind != "localhost" if address is None else not address.is_loopback


def own_url(port: int, bind: str = BIND) -> str:
    """How this machine itself reaches the web server."""
    address = as_address(bind)
    if address is not None and address.is_unspecified:
        bind = "127.0.0.1" if address.version == 4 else "::1"
    return f"http://[{bind}]:{port}" if ":" in bind else f"http://{bind}:{port}"
