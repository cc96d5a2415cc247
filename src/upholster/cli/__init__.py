"""The command line: probe, key, mark, masks, finish, fit, timeline, report, proof, formats, watch; without a house."""

from upholster.cli import finish, fit, key, listing, mark, masks, proof, report, timeline, watch
from upholster.cli.program import main

__all__ = ["finish", "fit", "key", "listing", "main", "mark", "masks", "proof", "report", "timeline", "watch"]
