"""The command line: probe, key, masks, finish, proof, formats; no browser and no database."""

from upholster.cli import finish, key, listing, masks, proof
from upholster.cli.program import main

__all__ = ["finish", "key", "listing", "main", "masks", "proof"]
