"""The command line: probe, key, masks, proof, formats; no browser and no database."""

from upholster.cli import key, listing, masks, proof
from upholster.cli.program import main

__all__ = ["key", "listing", "main", "masks", "proof"]
