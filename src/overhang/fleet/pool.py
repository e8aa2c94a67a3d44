"""Work done by several processes of this machine, in chunks of files that look alike.

A process that dies takes nobody with it: its chunk is done again file by file, each by a process of its own, and the
file at which one dies again is told.
"""

import contextlib
import multiprocessing
import os
import pickle
import signal
import sys
import threading
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import connection
from typing import Any

from overhang.auditing.report import Unreadable
from overhang.fleet.chunks import Chunk, File
from overhang.fleet.examine import Examiner, Outcome, Terms, examine_all

_DIED = "the process that examined it ended: it may have taken too much memory; the other files were examined"
_examiner: list[Examiner] = []


def _begin(terms: Terms) -> None:
    """What a worker does first: it ends silently when it is interrupted, and when the program that began it is gone."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    _hold_interrupts(signal.SIG_UNBLOCK)
    parent = multiprocessing.parent_process()
    if parent is not None:
        threading.Thread(target=_end_with, args=(parent.sentinel,), daemon=True).start()
    _examiner[:] = [Examiner(terms)]


def _hold_interrupts(how: int) -> None:
    if hasattr(signal, "pthread_sigmask"):
        signal.pthread_sigmask(how, {signal.SIGINT})


def _end_with(sentinel: int) -> None:
    connection.wait([sentinel])
    os._exit(1)


def _work(files: Sequence[File]) -> bytes:
    return pickle.dumps(examine_all(_examiner[0], files), pickle.HIGHEST_PROTOCOL)


def _pool(terms: Terms, jobs: int) -> ProcessPoolExecutor:
    # Forked processes need not import everything again; elsewhere than on Linux that is not safe.
    method = "fork" if sys.platform == "linux" else None
    return ProcessPoolExecutor(jobs, multiprocessing.get_context(method), _begin, (terms,))


def examine_by_many(
    terms: Terms, files: Sequence[File], chunks: Sequence[Chunk], jobs: int
) -> Iterator[tuple[int, Outcome]]:
    """The outcome of each file with its place, chunk by chunk, by ``jobs`` processes. Raises what reading a project
    file raises."""
    done: dict[int, bytes] = {}
    work = [[files[place] for place in chunk] for chunk in chunks]
    at = 0
    while at < len(chunks):
        pool = _pool(terms, jobs)
        try:
            futures = _begun(pool, {number: work[number] for number in range(at, len(chunks)) if number not in done})
            while at < len(chunks):
                found = pickle.loads(done.pop(at) if at in done else futures.pop(at).result())
                yield from zip(chunks[at], found, strict=True)
                at += 1
        except BrokenProcessPool:
            done |= {number: each.result() for number, each in futures.items() if number > at and _has_result(each)}
            yield from zip(chunks[at], _one_by_one(terms, work[at]), strict=True)
            at += 1
        finally:
            _end(pool)


def _begun(pool: ProcessPoolExecutor, chunks: Mapping[int, Sequence[File]]) -> dict[int, "Future[bytes]"]:
    _hold_interrupts(signal.SIG_BLOCK)  # an interrupt between two processes would leave one that nobody knows
    try:
        return {number: pool.submit(_work, chunk) for number, chunk in chunks.items()}
    finally:
        _hold_interrupts(signal.SIG_UNBLOCK)


def _has_result(future: "Future[bytes]") -> bool:
    return future.done() and not future.cancelled() and future.exception() is None


def _end(pool: ProcessPoolExecutor) -> None:
    """Begin nothing more; what a worker is doing is given up."""
    workers: dict[Any, Any] = getattr(pool, "_processes", None) or {}
    for worker in list(workers.values()):
        worker.terminate()
    # A worker may have been saying something: whoever waits for the rest would wait for as long as this end is open.
    results = getattr(getattr(pool, "_result_queue", None), "_writer", None)
    if results is not None:
        results.close()
    pool.shutdown(wait=True, cancel_futures=True)


def _one_by_one(terms: Terms, chunk: Sequence[File]) -> Iterator[Outcome]:
    """The outcomes of a chunk that a process died with, or after: each file apart from the others."""
    with contextlib.ExitStack() as stack:
        pool: ProcessPoolExecutor | None = None
        for each in chunk:
            if pool is None:
                pool = _pool(terms, 1)
                stack.callback(_end, pool)
            try:
                yield from pickle.loads(pool.submit(_work, [each]).result())
            except BrokenProcessPool:
                pool = None
                yield Outcome(Unreadable(each.path, _DIED))
