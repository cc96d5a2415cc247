"""The command line: probe, key, masks, finish, fit, timeline, proof, formats, watch; no browser and no database."""

from upholster.cli import finish, fit, key, listing, masks, proof, timeline, watch
from upholster.cli.program import main

__all__ = ["finish", "fit", "key", "listing", "main", "masks", "proof", "timeline", "watch"]
