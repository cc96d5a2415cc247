"""What each stage of the key costs at 1920x1080, and the whole beside plain ways of doing it.

    .venv/bin/python -m bench.speed [--rounds 12]

Milliseconds of processor time on one thread, all in one run; only ratios are worth estimates.
Beside them: the same formula written plainly in numpy, and the `chromakey` and `despill` filters of
the FFmpeg libraries as PyAV has them, which take 8-bit pictures and know no clean plate.
"""

import argparse
import resource
import time
import tracemalloc
from collections.abc import Callable, Hashable
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.recipe import Edge, EdgeColour, Finish, Qualifier, Recipe
from upholster.core.finish.grain import made
from upholster.core.finish.light import Colours
from upholster.core.finish.white import Light, adaptation
from upholster.core.first_recipe import first_look
from upholster.core.grids import resize, upsampled
from upholster.core.matting import learnt, pixels, rims
from upholster.core.pipeline.runner import Plate, key, plate_of
from upholster.core.raster import Raster
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.metric import to_metric
from upholster.core.screen.survey import survey
from upholster.core.stages.edge.choke import move_edge
from upholster.core.stages.edge.edge_colour import edge_colour
from upholster.core.stages.edge.recover import recover_detail
from upholster.core.stages.finish.balance import balanced
from upholster.core.stages.finish.grade import Grade, graded, saturated
from upholster.core.stages.finish.match import matched
from upholster.core.stages.finish.sharpen import sharpened
from upholster.core.stages.finish.tint import tinted
from upholster.core.stages.finish.wrap import wrapped
from upholster.core.stages.matte.edge_smoothing import smooth_edges
from upholster.core.stages.matte.fill_holes import close_dips
from upholster.core.stages.matte.levels import levels
from upholster.core.stages.matte.raw_matte import raw_matte
from upholster.core.stages.matte.see_through import least_coverage
from upholster.core.stages.matte.specks import remove_specks
from upholster.core.stages.matte.subject_colours import subject_cells, subject_colours
from upholster.core.stages.matte.temporal_denoise import denoise
from upholster.core.stages.screen.joined import keep_unjoined
from upholster.core.stages.screen.qualifier import qualify
from upholster.demo import marionette
from upholster.memory import keep_freed_memory

Plane = NDArray[np.float32]


def milliseconds(work: Callable[[], object], rounds: int) -> float:
    """Median processor time of one call."""
    work()
    spent = []
    for _ in range(rounds):
        began = time.process_time()
        work()
        spent.append((time.process_time() - began) * 1000)
    return float(np.median(spent))


def plain(plate: Plane, screen: Plane, subject: Plane, clear: float, solid: float) -> tuple[Plane, Plane]:
    """The projection key, levels, unmixing and spill as one would first write them."""
    c, b, f = to_metric(plate), to_metric(screen), to_metric(subject)
    d = f - b
    alpha = ((c - b) * d).sum(axis=0) / np.maximum((d * d).sum(axis=0), 1e-4)
    alpha = ((alpha - clear) / (solid - clear)).clip(0, 1)
    own = ((plate - (1 - alpha) * screen) / np.maximum(alpha, 0.004)).clip(0, 1)
    own = own + (subject - own) * np.maximum(0, 1 - alpha * 4)
    limit = (own[0] + own[2]) / 2
    excess = np.maximum(own[1] - limit, 0)
    own[1] -= excess
    return (own + excess * 0.7152).astype(np.float32), alpha.astype(np.float32)


def filters(frame: av.VideoFrame, colour: tuple[float, float, float]) -> Callable[[], object]:
    graph = av.filter.Graph()
    source = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=frame.time_base)
    code = "0x" + "".join(f"{round(c * 255):02x}" for c in colour)
    steps = [graph.add("chromakey", f"{code}:0.15:0.1"), graph.add("format", "rgba"), graph.add("despill", "green")]
    sink = graph.add("buffersink")
    for one, two in zip([source, *steps], [*steps, sink], strict=True):
        one.link_to(two)
    graph.configure()
    count = iter(range(1 << 30))

    def run(graph: av.filter.Graph = graph) -> object:
        # The graph must outlive its filters.
        frame.pts = next(count)
        source.push(frame)
        return sink.pull()

    return run


def stages(plates: list[Plane], recipe: Recipe, known: ScreenKnowledge) -> dict[str, Callable[[], Any]]:
    plate, size = plates[1], (plates[1].shape[2], plates[1].shape[1])
    ground = upsampled(known.plate, *size)
    subject = upsampled(subject_colours(subject_cells(plate), "screen", known), *size)
    raw = raw_matte(plate, "screen", ground, subject)
    cells = subject_cells(plate)
    clean = resize(known.plate, cells.shape[2], cells.shape[1])
    carried, sure = subject_colours(cells, "screen", known), np.zeros((2, *cells.shape[1:]), np.float32)
    cover = levels(raw, black_point=recipe.matte.black_point, white_point=recipe.matte.white_point)  # type: ignore[arg-type]
    chosen = dict(zip(Qualifier.model_fields, (40.0, 0.1, 1.0, 0.0, 0.9, 0.1), strict=True))
    tint = {"unmix": 1.0, "spill": 1.0, "balance": 0.5}
    return {
        "clean plate and subject laid": lambda: (
            upsampled(known.plate, *size),
            upsampled(subject_colours(subject_cells(plate), "screen", known), *size),
        ),
        "colours corrected by the network": lambda: learnt.corrected(plate, cells, clean, carried, sure, known.noise),
        "raw matte": lambda: raw_matte(plate, "screen", ground, subject),
        "single pixels corrected by the network": lambda: pixels.corrected(plate, raw, ground, subject, known.noise),
        "clear and solid": lambda: levels(raw, black_point=0.03, white_point=0.97),
        "close holes, 8 px": lambda: close_dips(cover, size=8),
        "edge along its course": lambda: smooth_edges(cover, amount=1),
        "edge by 0.6 px": lambda: move_edge(cover, choke=-0.6, soften=0),
        "edge softened, 2 px": lambda: move_edge(cover, choke=0, soften=2),
        "edge colour": lambda: edge_colour(plate, cover, "screen", ground, subject, 1, keep_luma=True, **tint),
        "colours along edges corrected by the network": lambda: rims.corrected(
            plate.copy(), plate, cover, ground, subject, known.noise, 1, (0, 1)
        ),
        "(on request) steady": lambda: denoise(plate, [plates[0], plates[2]], noise=known.noise, amount=1),
        "(on request) qualifier": lambda: qualify(raw, plate, (0.1, 0.5, 0.2), **chosen),
        "(on request) joined": lambda: keep_unjoined(raw, [], reach=0.5, step=1),
        "(on request) see-through": lambda: least_coverage(plate, ground),
        "(on request) specks": lambda: remove_specks(cover, size=8),
        "(on request) recover": lambda: recover_detail(cover, raw, amount=1, step=1),
        **{f"(finish) {name}": work for name, work in finishes(plate, cover).items()},
    }


def finishes(rgb: Plane, cover: Plane) -> dict[str, Callable[[], Any]]:
    matrix = adaptation(Light(4000, 10))
    tones = Finish(gamma=1.2, contrast=1.1, curve=({"x": 0.5, "y": 0.6},)).at(0, Grade)  # type: ignore[arg-type]
    own, wanted = Colours((0.6, 0.0, 0.0), (0.1, 0.03, 0.03)), Colours((0.4, 0.02, -0.03), (0.2, 0.02, 0.04))
    return {
        "white balance": lambda: balanced(rgb, matrix),
        "tones and curve": lambda: graded(rgb, **tones),
        "saturation": lambda: saturated(rgb, 1.2),
        "matched to a ground": lambda: matched(rgb, own, wanted, 0.5),
        "tint": lambda: tinted(rgb, (0.9, 0.6, 0.3), 0.5, keep_luma=True),
        "sharpened, 1.5 px": lambda: sharpened(rgb, cover, 1.0, 1.5),
        "grain": lambda: rgb + 0.01 * made(*cover.shape, 0.6, 7),
        "light wrap, 12 px": lambda: wrapped(rgb, cover, rgb, 0.5, 12),
    }


def parallel(plates: list[Plane], recipe: Recipe, known: ScreenKnowledge, rounds: int) -> float:
    """Frames of two threads over twice those of one, by the clock."""
    jobs = [plates[n % 3] for n in range(2 * rounds)]

    def clock(threads: int) -> float:
        with ThreadPoolExecutor(threads) as pool:
            began = time.perf_counter()
            list(pool.map(lambda plate: key(plate_of(plate), recipe, 1, known), jobs))
            return time.perf_counter() - began

    clock(2)
    return float(np.median([clock(1) / clock(2) / 2 for _ in range(3)]))


def planes_in_flight(plate: Plane, recipe: Recipe, known: ScreenKnowledge) -> float:
    """Largest memory of one key, in float planes of the picture, the plate's three included."""
    tracemalloc.start()
    key(plate_of(plate), recipe, 1, known)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return peak / plate[0].nbytes + 3


def change(plate: Plane, recipe: Recipe, known: ScreenKnowledge, rounds: int) -> dict[str, float]:
    """A change of edge or spill alone, with all before it kept, at 960x540."""
    small = Plate(resize(plate, 960, 540), None, Raster.of_plate(1920, 1080, 960, 540))
    kept: dict[Hashable, Any] = {}

    def memo(name: Hashable, compute: Callable[[], Any]) -> Any:
        if name not in kept:
            kept[name] = compute()
        return kept[name]

    turn = iter(range(1, 1 << 20))
    edges = lambda: Edge(choke=-0.5 + 0.001 * next(turn))  # noqa: E731
    tints = lambda: EdgeColour(spill=1 - 0.0001 * next(turn))  # noqa: E731
    made: dict[str, Callable[[], Recipe]] = {
        "edge": lambda: recipe.model_copy(update={"edge": edges()}),
        "spill": lambda: recipe.model_copy(update={"edge_colour": tints()}),
    }
    return {
        name: milliseconds(lambda new=new: key(small, new(), 1, known, memo=memo), rounds)  # type: ignore[misc]
        for name, new in made.items()
    }


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench.speed")
    parser.add_argument("--rounds", type=int, default=12)
    rounds = parser.parse_args().rounds
    cv2.setNumThreads(1)
    keep_freed_memory()
    plates = [resize(marionette.shot(n).plate.transpose(2, 0, 1), 1920, 1080) for n in (20, 21, 22)]
    taken = survey(dict(enumerate(plates)))
    recipe = first_look(taken).recipe
    known = measure_screen(taken, recipe.screen)
    assert known is not None and recipe.screen.colour is not None
    height, width = plates[1].shape[1:]
    print(f"{width}x{height}, milliseconds of processor time, one thread")
    for name, work in stages(plates, recipe, known).items():
        print(f"  {name:<32}{milliseconds(work, rounds):>8.1f}")
    whole = milliseconds(lambda: key(plate_of(plates[1]), recipe, 1, known), rounds)
    print(f"  {'whole automatic key':<32}{whole:>8.1f}   aim 40")

    screen = resize(known.plate, width, height)
    subject = resize(subject_colours(subject_cells(plates[1]), "screen", known), width, height)
    numpy_way = milliseconds(lambda: plain(plates[1], screen, subject, 0.03, 0.97), max(3, rounds // 3))
    print(f"  {'the formula in plain numpy':<32}{numpy_way:>8.1f}   {numpy_way / whole:.1f} times ours")
    frame = av.VideoFrame.from_ndarray(
        np.rint(plates[1].clip(0, 1) * 255).astype(np.uint8).transpose(1, 2, 0).copy(), "rgb24"
    ).reformat(format="yuva420p")
    frame.time_base = Fraction(1, 24)
    theirs = milliseconds(filters(frame, recipe.screen.colour), rounds)
    print(f"  {'chromakey + despill (8 bit)':<32}{theirs:>8.1f}   {theirs / whole:.1f} times ours")
    print("a change alone at 960x540, aim 15")
    for name, spent in change(plates[1], recipe, known, rounds).items():
        print(f"  {name:<32}{spent:>8.1f}")
    print(f"parallel efficiency over frames on two threads {parallel(plates, recipe, known, rounds):.2f}   aim 0.85")
    print(f"float planes in flight {planes_in_flight(plates[1], recipe, known):.1f}   aim under 12")
    print(f"peak memory of this process {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    main()
