"""The command line: probe, key, mark, masks, finish, fit, timeline, report, proof, formats, watch; without a house.

Each module holds the commands that `program` says, and is loaded when one of them is called.
"""

from upholster.cli.program import main

__all__ = ["main"]
