"""The tables. Nothing that a person made goes away because something else does: those keys restrict."""

from upholster.store.models.base import Base
from upholster.store.models.clips import Clip
from upholster.store.models.fittings import Fitting, FittingRevision
from upholster.store.models.footage import Footage, Reading
from upholster.store.models.renders import Preset, Render, RenderCheck, RenderPass, RenderRange
from upholster.store.models.scripts import ScriptAnswer, ScriptToken
from upholster.store.models.shots import Drawing, Family, MeasuredFrame, Revision, Shot
from upholster.store.models.traces import Bake, TraceRun
from upholster.store.models.watched import Arrival, Watched

__all__ = [
    "Arrival",
    "Bake",
    "Base",
    "Clip",
    "Drawing",
    "Family",
    "Fitting",
    "FittingRevision",
    "Footage",
    "MeasuredFrame",
    "Preset",
    "Reading",
    "Render",
    "RenderCheck",
    "RenderPass",
    "RenderRange",
    "Revision",
    "ScriptAnswer",
    "ScriptToken",
    "Shot",
    "TraceRun",
    "Watched",
]
