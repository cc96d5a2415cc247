"""Looking after the processes of a house."""

from pathlib import Path
from typing import Any

import pytest

from upholster import service


class Process:
    """Stands for a running process."""

    def __init__(self) -> None:
        self.killed = False

    def kill(self) -> None:
        self.killed = True


def test_a_web_server_that_hangs_is_started_again_and_one_that_is_slow_is_not(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = [1000.0]
    monkeypatch.setattr(service.time, "monotonic", lambda: clock[0])
    house: Any = service.Supervisor(tmp_path)
    web = house._running["web"] = Process()
    answers = [True]
    monkeypatch.setattr(service, "_answers", lambda address: answers[0])

    def pass_time(seconds: float) -> None:
        for _ in range(round(seconds / service._ASK) + 1):
            clock[0] += service._ASK + 0.1
            house._check_web()

    pass_time(120)
    answers[0] = False
    pass_time(service._SILENT - 10)
    assert not web.killed, "busy for a while is not hung"
    answers[0] = True
    pass_time(10)
    answers[0] = False
    pass_time(service._SILENT + 10)
    assert web.killed


def test_a_port_at_an_address_that_is_not_ours_is_refused() -> None:
    with pytest.raises(SystemExit, match="no address of this machine"):
        service._free_port(9000, "192.0.2.1")
