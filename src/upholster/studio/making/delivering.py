"""Making a whole delivery at once: its parts written, put together, proved."""

import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from upholster.media.proof import Proof, failed, judged
from upholster.studio.making.assembling import assemble
from upholster.studio.making.keying import Job
from upholster.studio.making.orders import Order
from upholster.studio.making.parts import Part, in_ranges, part_path, records_path, write_part
from upholster.studio.making.proving import prove_part, prove_whole, proves_parts, wrongly_joined


def deliver(job: Job, order: Order, out: Path, *, threads: int = 1) -> Proof:
    """Make a whole delivery here and now: a file, or for sequences and pairs a folder.

    Parts are made, and as far as they can be proved, side by side on `threads` threads; they lie in a folder
    beside `out` that goes away.
    """
    planned = order.planned
    out.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=out.parent, prefix=".upholster-") as parts:
        folder = out if planned.form.sequence else Path(parts)
        ranges = in_ranges(planned.timing.frames)
        own = max(1, threads // len(ranges))

        def make(position: int) -> Proof | None:
            part = part_path(folder, position, planned.form)
            (records,) = write_part(job, [Part(order, part)], ranges[position], threads=own)
            return prove_part(order, part, ranges[position], records, records_path(Path(parts), position))

        with ThreadPoolExecutor(threads) as pool:
            try:
                proofs = list(pool.map(make, range(len(ranges))))
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise
        files = assemble(job, planned, folder, len(ranges), out, threads=threads)
        if reason := wrongly_joined(job, planned, folder, len(ranges), files):
            return failed(planned, reason)
        if not proves_parts(planned.form):
            kept = [records_path(Path(parts), position) for position in range(len(ranges))]
            proofs = [prove_whole(order, files, kept)]
        return judged([proof for proof in proofs if proof], planned)
