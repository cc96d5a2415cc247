"""The command line: probe, key, masks, finish, fit, timeline, report, proof, formats, watch; without a house."""

from upholster.cli import finish, fit, key, listing, masks, proof, report, timeline, watch
from upholster.cli.program import main

__all__ = ["finish", "fit", "key", "listing", "main", "masks", "proof", "report", "timeline", "watch"]
