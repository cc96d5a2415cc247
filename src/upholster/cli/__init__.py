"""The command line: probe, key, masks, finish, fit, proof, formats, watch; no browser and no database."""

from upholster.cli import finish, fit, key, listing, masks, proof, watch
from upholster.cli.program import main

__all__ = ["finish", "fit", "key", "listing", "main", "masks", "proof", "watch"]
