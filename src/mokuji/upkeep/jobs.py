"""What workers do: reports that take long, and what need not be waited for.

A worker is a process of its own, so that it takes nothing from those who answer
people, and several may run. Each job can be done again: one whose worker was
killed is taken up by another.
"""

from __future__ import annotations

import asyncio

import procrastinate
import structlog

from mokuji.core.base.errors import MokujiError
from mokuji.services.app_context import AppContext, catch_up
from mokuji.services.looking_back import trash
from mokuji.services.telling import delivering
from mokuji.store import jobs
from mokuji.telling import sending
from mokuji.telling.sending import Post
from mokuji.upkeep import keeping
from mokuji.upkeep.reports.registry import REPORTS

log = structlog.get_logger("mokuji.worker")
ATTEMPTS = 3
"""So often a job is tried."""
CHORES = 2.0
"""Seconds between two looks for what is to be done beside jobs."""


def application(app: AppContext) -> procrastinate.App:
    """The tasks of a worker."""
    queue = jobs.application(app.engine)

    @queue.task(name="make_report", queue=jobs.QUEUE, retry=ATTEMPTS)
    def make_report(volume: int, name: str, closed: list[int], origins: list[str]) -> None:
        if name in REPORTS:
            keeping.make(app, volume, name, closed, tuple(origins))

    @queue.periodic(cron="* * * * *")
    @queue.task(name="take_up_stalled", queue=jobs.QUEUE, queueing_lock="take_up_stalled", pass_context=True)
    async def take_up_stalled(context: procrastinate.JobContext, timestamp: int) -> None:
        for job in await queue.job_manager.get_stalled_jobs(
            seconds_since_heartbeat=jobs.STALLED.total_seconds()
        ):
            await queue.job_manager.retry_job(job)

    @queue.periodic(cron="17 3 * * *")
    @queue.task(name="clear_away", queue=jobs.QUEUE, queueing_lock="clear_away")
    def clear_away(timestamp: int) -> None:
        trash.purge(app)
        delivering.clear_away(app)

    @queue.periodic(cron="*/10 * * * *")
    @queue.task(name="tell_of_tasks", queue=jobs.QUEUE, queueing_lock="tell_of_tasks")
    def tell_of_tasks(timestamp: int) -> None:
        delivering.tell_of_tasks(app)

    return queue


async def work(app: AppContext, stop: asyncio.Event, post: Post | None = None) -> None:
    """Does jobs, search words that were left for later, and what people are to be told, until it is told to stop;
    sends mail if it has a mail server for it."""
    queue = application(app)
    async with queue.open_async():
        worker = asyncio.create_task(
            queue.run_worker_async(
                concurrency=1,
                install_signal_handlers=False,
                wait=True,
                delete_jobs="successful",
                listen_notify=True,
            )
        )
        chores = asyncio.create_task(_chores(app))
        # By itself: a mail server that is slow keeps nothing else from being done.
        mail = [asyncio.create_task(_mail(app, post))] if post is not None else []
        waiting = asyncio.create_task(stop.wait())
        await asyncio.wait({worker, waiting}, return_when=asyncio.FIRST_COMPLETED)
        for task in (worker, chores, waiting, *mail):
            task.cancel()
        await asyncio.gather(worker, chores, waiting, *mail, return_exceptions=True)


async def _mail(app: AppContext, post: Post) -> None:
    while True:
        try:
            await asyncio.to_thread(sending.chore, app, post)
        except Exception as fault:
            log.warning("mail_left_for_later", reason=str(fault), exc_info=True)
        await asyncio.sleep(CHORES)


async def _chores(app: AppContext) -> None:
    purged = False
    while True:
        try:
            if not purged:
                await asyncio.to_thread(trash.purge, app)
                purged = True
            while await asyncio.to_thread(catch_up, app):
                pass
            while await asyncio.to_thread(delivering.tell, app):
                pass
        except Exception as fault:
            # Whatever goes wrong: the other chores are done, and this one the next time.
            log.warning("left_for_later", reason=str(fault), exc_info=not isinstance(fault, MokujiError))
        await asyncio.sleep(CHORES)
