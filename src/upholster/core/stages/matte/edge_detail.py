"""Coverage of single pixels, along edges and in thin parts, as a small network corrects it."""

from upholster.core.matting.pixels import corrected
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered


def _run(picture: Picture, context: Context) -> Changes:
    cover = corrected(picture.rgb, picture.raw_matte, picture.screen, picture.subject, context.measured.noise)
    return covered(cover, raw=True)


STAGE = Stage(
    "edge_detail",
    ("rgb", "raw_matte", "screen", "subject"),
    _run,
    # Thin glow covers by its brightness alone.
    applies=lambda context, **values: context.keyed and not context.glow,
)
