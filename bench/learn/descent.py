"""Learning: steps down a loss for so many minutes."""

import math
import time
from collections.abc import Callable, Iterable
from typing import TypeVar

import numpy as np
import torch
from torch import Tensor, nn

Batch = TypeVar("Batch")


def descend(
    network: nn.Module,
    batches: Iterable[Batch],
    loss: Callable[[Batch], tuple[Tensor, float]],
    minutes: float,
    rate: float,
) -> None:
    """Change a network so that `loss`, which also gives an error to tell of, falls; the rate falls with a cosine."""
    optimiser = torch.optim.AdamW(network.parameters(), lr=rate, weight_decay=1e-4)
    last: list[float] = []
    began = None
    for step, batch in enumerate(batches):
        began = began or time.monotonic()
        done = (time.monotonic() - began) / (60 * minutes)
        if done >= 1:
            break
        for group in optimiser.param_groups:
            group["lr"] = rate * min(1.0, (step + 1) / 100) * 0.5 * (1 + math.cos(math.pi * done))
        lost, error = loss(batch)
        optimiser.zero_grad()
        lost.backward()
        torch.nn.utils.clip_grad_norm_(network.parameters(), 1.0)
        optimiser.step()
        last.append(error)
        if step % 200 == 199:
            some = 1000 * np.array(last[-200:])
            print(f"{step + 1} {done:.0%} error x 1000: {some.mean():.2f}, median {np.median(some):.2f}", flush=True)
