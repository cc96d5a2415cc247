"""What a camera makes of a picture: grain, and the file it writes."""

from pathlib import Path
from typing import NamedTuple

import av
import cv2
import numpy as np
from bench.drawn import Draw

from upholster.core.yuv import from_rgb
from upholster.demo.camera import Picture


class Stock(NamedTuple):
    """What a camera writes: x264's rate factor, pixel format and where chroma lies."""

    crf: int = 18
    pixels: str = "yuv420p"
    centred: bool = False


def grained(plate: Picture, noise: float, draw: Draw) -> Picture:
    """What light leaves a sensor: more grain where there is more light, most of it common to the three primaries."""
    of_each = draw.standard_normal(plate.shape, np.float32)
    grain = 0.7 * of_each + draw.standard_normal((*plate.shape[:2], 1), np.float32)
    strength = noise * np.sqrt(np.clip(plate.mean(axis=2, keepdims=True), 0.02, 1) * 2)
    return plate + cv2.GaussianBlur(grain, (0, 0), 0.6) * strength * np.float32(1.4)


def write(path: Path, pictures: list[Picture], stock: Stock) -> None:
    """Pictures as H.264, BT.709, as a camera would write them."""
    depth = 10 if stock.pixels.endswith("10le") else 8
    with av.open(str(path), "w") as container:
        sited = f"cpu-independent=1:chromaloc={int(stock.centred)}"
        options = {"crf": str(stock.crf), "preset": "medium", "x264-params": sited}
        stream = container.add_stream("libx264", rate=24, options=options)
        stream.height, stream.width = pictures[0].shape[:2]
        stream.pix_fmt = stock.pixels
        context = stream.codec_context
        context.thread_count = 1
        context.colorspace = context.color_primaries = context.color_trc = context.color_range = 1
        for picture in pictures:
            container.mux(stream.encode(_coded(picture, stock, depth)))
        container.mux(stream.encode(None))


def _coded(picture: Picture, stock: Stock, depth: int) -> av.VideoFrame:
    planar = np.ascontiguousarray(picture.transpose(2, 0, 1))
    y, cb, cr = from_rgb(planar, depth=16, matrix="bt709", code_range="limited")
    halved = stock.pixels.startswith("yuv420p")
    across = np.array([0.0, 0.5, 0.5]) if stock.centred else np.array([0.25, 0.5, 0.25])
    frame = av.VideoFrame(picture.shape[1], picture.shape[0], stock.pixels)
    planes = [y.astype(np.float32)]
    for chroma in (cb, cr):
        soft = cv2.sepFilter2D(chroma.astype(np.float32), -1, across, np.array([1.0]))[:, ::2]
        planes.append((soft[0::2] + soft[1::2]) / 2 if halved else soft)
    kind = np.uint16 if depth > 8 else np.uint8
    for plane, data in zip(frame.planes, planes, strict=True):
        rows = np.frombuffer(plane, kind).reshape(plane.height, -1)
        rows[:, : data.shape[1]] = np.clip(np.rint(data / 2 ** (16 - depth)), 0, 2**depth - 1)
    return frame
