"""A worker: runs tasks, and takes up what killed workers left behind."""

import asyncio
import faulthandler
import logging
import signal

from upholster.config import config
from upholster.memory import keep_freed_memory
from upholster.studio.renders import missing
from upholster.studio.stock import stock
from upholster.work.tasks import app, watch

log = logging.getLogger(__name__)

#: Seconds without a sign of life after which a worker's job is given to another.
SILENT = config().stalled_seconds
#: Seconds between two looks into watched folders.
_LOOK = 2.0


async def _mend() -> None:
    """Put the jobs of dead workers back, then ask for any work nobody asked for."""
    while True:
        try:
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=SILENT):
                log.info("taking up job %s again", job.id)
                await app.job_manager.retry_job(job)
            await asyncio.to_thread(missing.enqueue_missing)
            await asyncio.to_thread(missing.sweep)
            await asyncio.to_thread(stock.empty_bin)
        except Exception:
            log.exception("mending did not work this time")
        await asyncio.sleep(SILENT / 3)


async def _watch() -> None:
    """Look into watched folders."""
    while config().watch:
        try:
            await asyncio.to_thread(watch)
        except Exception:
            log.exception("watching did not work this time")
        await asyncio.sleep(_LOOK)


async def _tick() -> None:
    """End a worker that hangs as a whole: its work stays locked for others as long as its process is there."""
    while True:
        faulthandler.dump_traceback_later(10 * SILENT, exit=True)
        await asyncio.sleep(SILENT / 3)


async def _work(concurrency: int) -> None:
    async with app.open_async():
        beside = [asyncio.create_task(_mend()), asyncio.create_task(_tick()), asyncio.create_task(_watch())]
        try:
            await app.run_worker_async(
                concurrency=concurrency,
                install_signal_handlers=True,
                update_heartbeat_interval=SILENT / 4,
                stalled_worker_timeout=SILENT,
                fetch_job_polling_interval=2.0,
                shutdown_graceful_timeout=1.0,
            )
        finally:
            for task in beside:
                task.cancel()
            faulthandler.cancel_dump_traceback_later()


def main() -> None:
    keep_freed_memory()
    # For whoever asks what it is at: kill -USR1 writes where each thread is into the log.
    faulthandler.register(signal.SIGUSR1)
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
    logging.getLogger("procrastinate").setLevel(logging.WARNING)
    asyncio.run(_work(config().workers))


if __name__ == "__main__":
    main()
