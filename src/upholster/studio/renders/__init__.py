"""The work behind renders: made in ranges by any number of workers, put together, proofed, stocked.

The files on disk are the truth: a range is made when its part lies there whole. Whatever was killed is found
again by `missing`, which asks once more for every piece of work still lacking. `plan` is what a worker needs to
know, `states` how a render goes on and ends, and `make`, `join`, `check` and `stocking` are the work itself.
"""
