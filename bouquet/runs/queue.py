"""
The job queue: PostgreSQL through Procrastinate.

The ledger is the truth and the queue only wakes workers: a run that is asked for and has no job gets one, and a job
whose worker died is given to another.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from datetime import timedelta
from typing import Any

import procrastinate
import procrastinate.exceptions
import sqlalchemy as sa
import structlog
from psycopg import OperationalError
from psycopg.errors import UniqueViolation
from sqlalchemy.exc import DBAPIError

from bouquet import CORES
from bouquet.core.language import tr
from bouquet.runs.comparing import carry_out_comparison
from bouquet.runs.errors import PASSING
from bouquet.runs.executor import ATTEMPTS, execute
from bouquet.runs.ranges import help_with_run
from bouquet.runs.retention import expire_files, forget_ranges, sweep_files
from bouquet.runs.services import Services
from bouquet.store import care, comparisons
from bouquet.store import runs as ledger
from bouquet.store.database import settle_async, settle_sync

__all__ = ["Queue"]

log = structlog.get_logger()

#: The queue of runs and of what is done by the clock, and that of deliveries.
RUNS, DELIVERIES = "default", "deliveries"

#: What the connections of workers are called in the store.
WORKER = "bouquet worker"

#: Cores that one run keeps busy, its source's among them.
OF_A_RUN = 3

#: Recipients that one worker sends to at the same time. They mostly wait for others.
SENDING = 8

#: Priorities; the greater goes first. A person waits, a round does not. Among people it goes in turn: each further
#: run that one person has waiting goes a place back. Who helps with a large run has nothing else to do.
BY_HAND, BY_ROUND, TO_HELP = 10_000, 0, -1

#: Runs of rounds that are put into the queue by one statement.
PUT_AT_ONCE = 500

#: Seconds after which a run without a job is given one.
FORGOTTEN = 10

#: Seconds without a sign of life after which a run is given to another worker.
SILENT = 45

#: Seconds without a heartbeat after which a worker counts as dead.
DEAD_WORKER = 30

#: Seconds before a worker that lost the database tries again.
RECONNECT = 2.0

#: Of the queue's connections, in seconds: to wait for one, and to go on trying for one that was lost before the next
#: who needs it tries anew. The usual minutes of ever longer pauses would outlast a restart of the database.
POOL: dict[str, Any] = {"timeout": 5.0, "reconnect_timeout": 5.0}


class Queue:
    """
    Puts runs into the queue, and works them off.
    """

    def __init__(self, services: Services) -> None:
        self.services = services
        self.app = procrastinate.App(connector=self._connector())
        # Deliveries are worked off beside, with connections of their own.
        self.sender = procrastinate.App(connector=self._connector())
        # Askers know the task by its name only: a task of the workers' app would bring the workers' connection along.
        self._sync = procrastinate.App(
            connector=procrastinate.SyncPsycopgConnector(conninfo=services.store.url, configure=settle_sync, **POOL)
        )
        self._after_runs: list[Callable[[int], None]] = []
        services.has_help, services.ask_for_help = self.has_help, self.put_helpers
        self._beside: list[Callable[[], Coroutine[Any, Any, None]]] = []
        self._add_tasks()

    def _connector(self) -> procrastinate.PsycopgConnector:
        return procrastinate.PsycopgConnector(
            conninfo=self.services.store.url,
            configure=settle_async,
            kwargs={"application_name": WORKER},
            **POOL,
        )

    def _add_tasks(self) -> None:
        retry = procrastinate.RetryStrategy(max_attempts=ATTEMPTS, wait=2, linear_wait=4, retry_exceptions=set(PASSING))

        @self.app.task(name="execute_run", retry=retry)
        def execute_run(run_id: int) -> None:
            execute(self.services, run_id)
            for follow in self._after_runs:
                follow(run_id)

        @self.app.task(name="help_with_run")
        def help_with(run_id: int, attempt: int, helper: int) -> None:
            # One range at a time: whatever else waits for a worker goes before the next.
            if help_with_run(self.services, run_id, attempt):
                self._put_helper(run_id, attempt, helper)

        @self.app.task(name="compare_runs")
        def compare_runs(comparison_id: int) -> None:
            carry_out_comparison(self.services, comparison_id)

        @self.app.periodic(cron="* * * * * */10")
        @self.app.task(name="look_after_runs", queueing_lock="look_after_runs", pass_context=True)
        async def look_after_runs(context: procrastinate.JobContext, timestamp: int) -> None:
            failures: list[str] = []
            for job in await self.app.job_manager.get_stalled_jobs(seconds_since_heartbeat=DEAD_WORKER):
                # One job that cannot be helped never keeps the others from care.
                try:
                    await self._take_over(job)
                except Exception as error:
                    log.warning("job_not_taken_over", job=job.id, task=job.task_name, error=str(error))
                    failures.append(f"job {job.id}: {error}")
            failures += await asyncio.to_thread(self.wake_forgotten)
            await asyncio.to_thread(self._note_care, "runs", failures)

        @self.app.periodic(cron="*/10 * * * *")
        @self.app.task(name="look_after_files", queueing_lock="look_after_files")
        def look_after_files(timestamp: int) -> None:
            failures = []
            for step in (expire_files, sweep_files, forget_ranges):
                try:
                    step(self.services)
                except Exception as error:
                    log.warning("care_failed", step=step.__name__, error=str(error))
                    failures.append(f"{step.__name__}: {error}")
            self._note_care("files", failures)

    async def _take_over(self, job: procrastinate.jobs.Job) -> None:
        """
        Give the job of a dead worker to another. Where a second job for the same work waits already, that one does it:
        the dead one is ended, as it holds the lock that the other waits for.
        """
        manager = self.app.job_manager
        log.warning("job_taken_over", job=job.id, task=job.task_name)
        try:
            await manager.retry_job(job)
        except procrastinate.exceptions.ConnectorException as error:
            if not isinstance(error.__cause__, UniqueViolation) and not isinstance(
                error, procrastinate.exceptions.UniqueViolation
            ):
                raise
            await manager.finish_job(job, status=procrastinate.jobs.Status.FAILED, delete_job=False)

    def _note_care(self, name: str, failures: list[str]) -> None:
        try:
            with self.services.store.session() as session:
                care.note_care(session, name, failures, self.services.clock())
        except DBAPIError as error:
            log.warning("care_not_noted", care=name, error=str(error))

    def add_periodic(self, name: str, cron: str, work: Any) -> None:
        """
        Let the workers call `work()` by the clock; however many workers there are, each tick is done once.
        """

        @self.app.periodic(cron=cron)
        @self.app.task(name=name, queueing_lock=name)
        def periodic(timestamp: int) -> None:
            work()

    def add_beside(self, work: Callable[[], Coroutine[Any, Any, None]]) -> None:
        """
        Let each worker do `work()` beside its jobs, until it ends.
        """
        self._beside.append(work)

    def add_deliveries(self, deliver: Callable[[int, int], None], after_run: Callable[[int], None]) -> None:
        """
        Let the workers call `deliver(recipient_id, way_id)` for whom `put_recipient` names, in a queue of its own, so
        that no run waits for a slow recipient; and `after_run(run_id)` when a run is over.
        """

        @self.sender.task(name="deliver_due", queue=DELIVERIES)
        def deliver_due(recipient_id: int, way_id: int = 0) -> None:
            deliver(recipient_id, way_id)

        self._after_runs.append(after_run)

    def put_recipient(self, recipient_id: int, way_id: int = 0) -> None:
        """
        Wake a worker for what is due for a recipient by one of their ways, 0 for the first. Asking twice is harmless.
        """
        lock, facts = f"recipient-{recipient_id}", {"recipient_id": recipient_id}
        if way_id:
            lock, facts = f"{lock}-{way_id}", {**facts, "way_id": way_id}
        self._defer("deliver_due", lock, BY_ROUND, queue=DELIVERIES, **facts)

    @contextmanager
    def opened(self) -> Iterator[Queue]:
        """
        Ready to put runs into the queue.
        """
        with self._sync.open():
            yield self

    def install(self) -> None:
        """
        Make the queue's own tables, if they are not there.
        """
        with self.services.store.alone(), self._sync.open():
            if not self._sync.check_connection():
                self._sync.schema_manager.apply_schema()

    def put(self, run_id: int) -> None:
        """
        Wake a worker for a run. Asking twice is harmless. The queue may be out of reach: the run is then found later.
        """
        try:
            priority = self._priority(run_id)
        except DBAPIError as error:
            log.warning("queue_unreachable", run=run_id, error=str(error))
            return
        self._defer("execute_run", f"run-{run_id}", priority, run_id=run_id)

    def put_of_rounds(self, run_ids: Sequence[int]) -> None:
        """
        Wake workers for runs of rounds, many at a time.
        """
        for at in range(0, len(run_ids), PUT_AT_ONCE):
            some = run_ids[at : at + PUT_AT_ONCE]
            jobs = [
                procrastinate.jobs.Job(
                    queue=RUNS,
                    priority=BY_ROUND,
                    lock=f"run-{run_id}",
                    queueing_lock=f"run-{run_id}",
                    task_name="execute_run",
                    task_kwargs={"run_id": run_id},
                )
                for run_id in some
            ]
            try:
                self._sync.job_manager.batch_defer_jobs(jobs)
            except procrastinate.exceptions.AlreadyEnqueued:
                for run_id in some:
                    self.put(run_id)
            except (procrastinate.exceptions.ConnectorException, OperationalError) as error:
                # They are found later.
                log.warning("queue_unreachable", runs=len(some), error=str(error))

    def has_help(self) -> bool:
        """
        Whether several workers would make a large run faster: there are some on other machines, or this one has cores
        that a single run does not use.
        """
        query = sa.text(
            "SELECT count(DISTINCT coalesce(host(client_addr), '')) FROM pg_stat_activity"
            " WHERE application_name = :name AND datname = current_database()"
        )
        with suppress(DBAPIError), self.services.store.session() as session:
            return CORES > OF_A_RUN or (session.scalar(query, {"name": WORKER}) or 0) > 1
        return False

    def put_helpers(self, run_id: int, attempt: int, workers: int) -> None:
        """
        Ask so many workers to help with an attempt at a run. One that comes too late finds nothing to do.
        """
        for helper in range(workers):
            self._put_helper(run_id, attempt, helper)

    def _put_helper(self, run_id: int, attempt: int, helper: int) -> None:
        lock = f"run-{run_id}-{attempt}-{helper}"
        self._defer("help_with_run", lock, TO_HELP, run_id=run_id, attempt=attempt, helper=helper)

    def put_comparison(self, comparison_id: int) -> None:
        """
        Wake a worker for a comparison. Asking twice is harmless.
        """
        self._defer("compare_runs", f"comparison-{comparison_id}", BY_HAND, comparison_id=comparison_id)

    def _defer(self, task: str, lock: str, priority: int, queue: str = RUNS, **arguments: int) -> None:
        try:
            self._sync.configure_task(
                task, allow_unknown=True, priority=priority, queueing_lock=lock, lock=lock, queue=queue
            ).defer(**arguments)
        except procrastinate.exceptions.AlreadyEnqueued:
            pass
        except (procrastinate.exceptions.ConnectorException, OperationalError) as error:
            log.warning("queue_unreachable", task=task, **arguments, error=str(error))

    def _priority(self, run_id: int) -> int:
        with self.services.store.session() as session:
            run = ledger.get_run(session, run_id)
            if run.via == "round":
                return BY_ROUND
            return max(BY_ROUND + 1, BY_HAND - ledger.waiting_before(session, run))

    def wake_forgotten(self) -> list[str]:
        """
        Give a job to every run, and every comparison, that nobody works on. Returns what could not be done, in words.
        """
        with self.services.store.session() as session:
            now = self.services.clock()
            waiting = ledger.waiting_runs(session, now - timedelta(seconds=FORGOTTEN), now - timedelta(seconds=SILENT))
            left = comparisons.waiting(session, now - timedelta(seconds=SILENT))
        failures = []
        for put, name, numbers in (
            (self.put, "run", waiting),
            (self.put_comparison, "comparison", left),
        ):
            for number in numbers:
                try:
                    put(number)
                except Exception as error:
                    log.warning("not_woken", what=name, number=number, error=str(error))
                    failures.append(f"{name} {number}: {error}")
        return failures

    async def work(self, *, concurrency: int) -> None:
        """
        Work until cancelled. A database that goes away is waited for.
        """
        # Each job has a thread of its own; those of deliveries mostly wait.
        asyncio.get_running_loop().set_default_executor(ThreadPoolExecutor(concurrency + SENDING + 8))
        await asyncio.gather(
            self._work_off(self.app, RUNS, concurrency),
            self._work_off(self.sender, DELIVERIES, SENDING),
            *(work() for work in self._beside),
        )

    @staticmethod
    async def _work_off(app: procrastinate.App, name: str, concurrency: int) -> None:
        while True:
            try:
                async with app.open_async():
                    await app.run_worker_async(
                        queues=[name],
                        concurrency=concurrency,
                        install_signal_handlers=False,
                        update_heartbeat_interval=5,
                        stalled_worker_timeout=DEAD_WORKER,
                        fetch_job_polling_interval=1.0,
                        delete_jobs="successful",
                        shutdown_graceful_timeout=5,
                    )
                # A worker that lost the connection it listens on ends as if it had been asked to.
                interruption = tr("it stopped by itself")
            except asyncio.CancelledError:
                raise
            except Exception as error:
                interruption = str(error)
            # Asked to stop while the database was away, it fails on its way out, and stops all the same.
            task = asyncio.current_task()
            if task is not None and task.cancelling():
                return
            log.warning("worker_interrupted", queue=name, error=interruption)
            await asyncio.sleep(RECONNECT)
