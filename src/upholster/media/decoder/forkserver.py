"""The program that decoding children are forked from: everything they need is imported once.

It listens on a socket that is its standard input. ``fork`` comes with the two ends of pipes that become
the child's standard streams and is answered with its number; a number asks for the end of that child.
When the socket closes, as when whoever started it dies, it ends, and the children with it.
"""

import contextlib
import os
import signal
import socket

from upholster.media.decoder import child


def main() -> None:
    for name in ("cv2", "OpenEXR", "tifffile", "imagecodecs", "PIL.Image", "PIL.WebPImagePlugin"):
        with contextlib.suppress(ImportError):
            __import__(name)
    control = socket.socket(fileno=0)
    control.send(b"ready")
    children: set[int] = set()
    while True:
        message, descriptors, _, _ = socket.recv_fds(control, 64, 2)
        if not message:
            break
        if message == b"fork":
            number = os.fork()
            if number == 0:
                _be_child(control, descriptors)
            for descriptor in descriptors:
                os.close(descriptor)
            children.add(number)
            control.send(str(number).encode())
        elif (number := int(message)) in children:
            os.kill(number, signal.SIGKILL)
        for number in list(children):
            if os.waitpid(number, os.WNOHANG)[0]:
                children.discard(number)
    for number in children:
        os.kill(number, signal.SIGKILL)


def _be_child(control: socket.socket, descriptors: list[int]) -> None:
    status = 1
    try:
        control.detach()
        for place, descriptor in enumerate(descriptors):
            os.dup2(descriptor, place)
            os.close(descriptor)
        child.main()
        status = 0
    finally:
        os._exit(status)


if __name__ == "__main__":
    main()
