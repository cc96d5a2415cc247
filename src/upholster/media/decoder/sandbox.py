"""What a decoding child may still do once it has said which files it reads: almost nothing.

Three locks, each of which holds alone: the process is nobody and can gain no privileges; Landlock
(Linux 5.13, `Documentation/userspace-api/landlock.rst`) leaves it the given files and the libraries
to read and nothing to write; a seccomp filter (`Documentation/userspace-api/seccomp_filter.rst`)
refuses sockets, other programs and other processes, so there is no network.
"""

import ctypes
import errno
import os
import platform
import resource
import struct
import sys
from collections.abc import Iterable, Sequence
from pathlib import Path

from upholster.media.limits import MEMORY

_libc = ctypes.CDLL(None, use_errno=True)

#: linux/prctl.h
_KEEP_CAPABILITIES, _DEATH_SIGNAL, _NO_NEW_PRIVILEGES, _SECCOMP = 8, 1, 38, 22
#: linux/landlock.h: numbers of the calls are the same on all architectures.
_CREATE_RULESET, _ADD_RULE, _RESTRICT = 444, 445, 446
_READ_FILE, _READ_FOLDER = 1 << 2, 1 << 3
#: Rights known to each version of Landlock, from the first on.
_RIGHTS = [13, 14, 15, 15, 16]
#: Reading whatever the owner may: harmless only while Landlock says what there is to read.
_CAP_DAC_READ_SEARCH = 2
_NOBODY = 65534
_LIBRARIES = ("/usr", "/lib", "/lib64", "/etc/ld.so.cache", "/etc/localtime", "/dev/null", "/dev/urandom")

#: AUDIT_ARCH of linux/audit.h, and the refused calls by number: socket, socketpair, connect, bind, execve, execveat,
#: ptrace, process_vm_readv and _writev, io_uring_setup, kill, unshare, setns, mount, bpf, perf_event_open.
_REFUSED: dict[str, tuple[int, tuple[int, ...]]] = {
    "x86_64": (0xC000003E, (41, 53, 42, 49, 59, 322, 101, 310, 311, 425, 62, 272, 308, 165, 321, 298)),
    "aarch64": (0xC00000B7, (198, 199, 203, 200, 221, 281, 117, 270, 271, 425, 129, 97, 268, 40, 280, 241)),
}


def confine(readable: Iterable[Path]) -> None:
    """Give up every right but reading `readable`, for good.

    Raises
    ------
    OSError
        Where the kernel refuses a lock that it has.
    """
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    rules = _landlock([Path(path).resolve() for path in readable])
    if os.geteuid() == 0:
        _become_nobody(keep_reading=rules is not None)
    # A change of user forgets it.
    _call("prctl", _DEATH_SIGNAL, 9, 0, 0, 0)
    _call("prctl", _NO_NEW_PRIVILEGES, 1, 0, 0, 0)
    if rules is not None:
        _call("syscall", _RESTRICT, rules, 0)
        os.close(rules)
    _refuse_calls()


def _call(name: str, *arguments: object) -> int:
    done = int(getattr(_libc, name)(*(ctypes.c_long(a) if isinstance(a, int) else a for a in arguments)))
    if done < 0:
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number))
    return done


def _landlock(readable: Sequence[Path]) -> int | None:
    """A ruleset that lets `readable` and the libraries be read; None where the kernel has no Landlock."""
    try:
        version = _call("syscall", _CREATE_RULESET, None, 0, 1)
    except OSError as error:
        if error.errno in (errno.ENOSYS, errno.EOPNOTSUPP):
            return None
        raise
    every = (1 << _RIGHTS[min(version, len(_RIGHTS)) - 1]) - 1
    network = 0b11 if version >= 4 else 0
    attributes = struct.pack("QQ", every, network)[: 16 if version >= 4 else 8]
    rules = _call("syscall", _CREATE_RULESET, ctypes.c_char_p(attributes), len(attributes), 0)
    for path in (*readable, *(Path(p) for p in (*sys.path, *_LIBRARIES) if p)):
        if not path.exists():
            continue
        allowed = _READ_FILE | (_READ_FOLDER if path.is_dir() else 0)
        handle = os.open(path, os.O_PATH | os.O_CLOEXEC)
        _call("syscall", _ADD_RULE, rules, 1, ctypes.c_char_p(struct.pack("=Qi", allowed, handle)), 0)
        os.close(handle)
    return rules


def _become_nobody(*, keep_reading: bool) -> None:
    os.setgroups([])
    os.setresgid(_NOBODY, _NOBODY, _NOBODY)
    _call("prctl", _KEEP_CAPABILITIES, int(keep_reading), 0, 0, 0)
    os.setresuid(_NOBODY, _NOBODY, _NOBODY)
    kept = 1 << _CAP_DAC_READ_SEARCH if keep_reading else 0
    header = ctypes.c_char_p(struct.pack("Ii", 0x20080522, 0))
    _call("capset", header, ctypes.c_char_p(struct.pack("6I", kept, kept, 0, 0, 0, 0)))


def _refuse_calls() -> None:
    """A filter in classic BPF: the architecture must be this one, and the call none of those refused."""
    known = _REFUSED.get(platform.machine())
    if known is None:
        return
    architecture, calls = known
    load, equal, at_least, give = 0x20, 0x15, 0x35, 0x06
    allow, refuse, end = 0x7FFF0000, 0x00050000 | errno.EPERM, 0x80000000
    lines = [(load, 0, 0, 4), (equal, 1, 0, architecture), (give, 0, 0, end), (load, 0, 0, 0)]
    # The x32 calls of x86-64 are the same ones under other numbers.
    lines += [(at_least, 0, 1, 0x40000000), (give, 0, 0, end)]
    for call in calls:
        lines += [(equal, 0, 1, call), (give, 0, 0, refuse)]
    lines.append((give, 0, 0, allow))
    code = ctypes.create_string_buffer(b"".join(struct.pack("HBBI", *line) for line in lines))
    program = struct.pack("HxxxxxxP", len(lines), ctypes.addressof(code))
    _call("prctl", _SECCOMP, 2, ctypes.c_char_p(program), 0, 0)
