"""Work done on other machines: by the workers of a Dask cluster, whose scheduler hands it on.

What travels holds configurations with their secrets. So it goes over TLS with certificates on both sides, or does not
leave this machine; and it is sealed against being shown: neither logs nor errors of the cluster say what is in it.
"""

import contextlib
import importlib
import importlib.util
import logging
import os
import pickle
import socket
import ssl
import threading
import time
import uuid
import warnings
from collections.abc import Iterator, Mapping, Sequence
from ipaddress import ip_address
from typing import Any, NamedTuple
from urllib.parse import urlsplit

from overhang.auditing.report import Unreadable
from overhang.errors import OverhangError
from overhang.fleet.chunks import File, chunks_of
from overhang.fleet.examine import Carried, Examiner, Outcome, Terms
from overhang.version import VERSION

#: So many chunks are begun for each thread of a worker: one that it works on, and what it finds done with that.
_AHEAD = 3
_ANSWERS_WITHIN, _LOOKS_EVERY, _WAITS_FOR_WORKERS = 10.0, 2.0, 60.0
_DIED = "the worker that examined it ended: it may have taken too much memory; the other files were examined"


class ClusterProblem(OverhangError):
    """The cluster cannot be used, or not safely, or not any more; one line says why, and what to do."""


class Cluster(NamedTuple):
    """A cluster that does the work of a run: its scheduler's address, and whether the workers read the files
    themselves, under the paths and in the folder that they have here."""

    address: str
    shared: bool = False


class Parcel:
    """What travels, in a form that neither logs nor errors show."""

    __slots__ = ("sealed",)

    def __init__(self, content: object) -> None:
        self.sealed = pickle.dumps(content, pickle.HIGHEST_PROTOCOL)

    def __repr__(self) -> str:
        return "a parcel"

    def open(self) -> Any:
        """What is in it."""
        return pickle.loads(self.sealed)


class _Task(NamedTuple):
    """What a worker does: examine files, which were carried to it, or else lie in a folder."""

    terms: Terms
    folder: str
    files: Sequence[tuple[File, Carried | None]]


class _Answer(NamedTuple):
    """What a worker says: outcomes, or what was raised."""

    outcomes: Sequence[Outcome] = ()
    raised: Exception | None = None


_one_at_a_time = threading.Lock()
_examiners: dict[Terms, Examiner] = {}


def work(version: str, parcel: Parcel) -> Parcel:
    """What a worker does with a parcel, one after another whatever its threads: the folder is the whole process's."""
    if version != VERSION:
        return Parcel(_Answer(raised=ClusterProblem(_other_version(version, VERSION))))
    with _one_at_a_time:
        try:
            return Parcel(_Answer(_worked(parcel.open())))
        except Exception as error:  # it is raised where it can be told without being logged here
            return Parcel(_Answer(raised=error))


def _other_version(here: str, there: str) -> str:
    return f"a worker has Overhang {there}, and this is {here}: install the same on all machines"


def _worked(task: _Task) -> list[Outcome]:
    if task.terms not in _examiners:
        _examiners.clear()
        _examiners[task.terms] = Examiner(task.terms)
    examiner = _examiners[task.terms]
    if task.files[0][1] is not None:
        return _examined(examiner, task)
    before = os.getcwd()
    try:
        os.chdir(task.folder)
    except OSError as error:
        text = f"{task.folder}: a worker cannot open this folder: {error.strerror}; without --shared-files it need not"
        raise ClusterProblem(text) from None
    try:
        return _examined(examiner, task)
    finally:
        os.chdir(before)


def _examined(examiner: Examiner, task: _Task) -> list[Outcome]:
    return [examiner.examine(file.folder, file.path, alike=file.alike, carried=carried) for file, carried in task.files]


def examine_by_cluster(cluster: Cluster, here: Examiner, files: Sequence[File]) -> Iterator[tuple[int, Outcome]]:
    """The outcome of each file with its place, by the workers of a cluster; ``here`` reads for them where they do not.

    Raises ClusterProblem, and what reading a project file raises.
    """
    with _Work(cluster, here) as run:
        yield from run.outcomes(files)


class _Work:
    """One run on a cluster: a connection, and the chunks that are begun."""

    def __init__(self, cluster: Cluster, here: Examiner) -> None:
        self._cluster, self._here = cluster, here
        self._secure = _secure(cluster.address)
        self._client = _connected(cluster.address, self._secure)
        self._workers: tuple[str, ...] = ()
        self._name = f"overhang-{uuid.uuid4().hex}"
        self._begun = 0

    def __enter__(self) -> "_Work":
        return self

    def __exit__(self, *problem: object) -> None:
        with contextlib.suppress(Exception):  # the scheduler may have gone, and everything that it held with it
            self._client.close(timeout=2)

    def outcomes(self, files: Sequence[File]) -> Iterator[tuple[int, Outcome]]:
        threads = self._look()
        chunks = chunks_of(files, threads)
        waiting: list[_Chunk] = []
        ended = iter(chunks)
        for places in chunks:
            waiting.append(self._chunk([files[place] for place in places]))
            if len(waiting) >= threads * _AHEAD:
                yield from zip(next(ended), self._ended(waiting.pop(0), waiting), strict=True)
        while waiting:
            yield from zip(next(ended), self._ended(waiting.pop(0), waiting), strict=True)

    def _chunk(self, files: Sequence[File]) -> "_Chunk":
        """A chunk, begun; what cannot be read here has its outcome already."""
        terms, known = self._here.terms, {}
        work: list[tuple[File, Carried | None]] = []
        for place, file in enumerate(files):
            found = None if self._cluster.shared else self._here.carry(file.folder, file.path)
            if isinstance(found, Outcome):
                known[place] = found
            else:
                work.append((file, found))
        if not self._cluster.shared:
            terms = terms._replace(project=None, reader=None, dialect=None)  # they lie here alone
        return self._begin(_Chunk(files, known, _Task(terms, os.getcwd(), work)))

    def _begin(self, chunk: "_Chunk", most: int | None = None) -> "_Chunk":
        """Hand a chunk to the workers that there are, or so many of them."""
        if chunk.task.files:
            self._begun += 1
            chunk.workers = self._workers[:most]
            key, to = f"{self._name}-{self._begun}", list(chunk.workers)
            chunk.future = self._client.submit(work, VERSION, Parcel(chunk.task), key=key, workers=to, pure=False)
        return chunk

    def _ended(self, chunk: "_Chunk", waiting: "Sequence[_Chunk]") -> Iterator[Outcome]:
        """The outcomes of a chunk, in the order of its files."""
        answer = self._answer(chunk) if chunk.task.files else []
        if answer is None:
            for each in (chunk, *waiting):
                each.future = None  # which gives it up: while it is found out who ends workers, nobody else works
            answer = [self._alone(chunk, each) for each in chunk.task.files]
            self._wait()
            for each in waiting:
                self._begin(each)
        found = iter(answer)
        for place in range(len(chunk.files)):
            outcome = chunk.known[place] if place in chunk.known else next(found)
            yield outcome._replace(found=Unreadable(chunk.files[place].path, _DIED)) if outcome is _ENDED else outcome

    def _alone(self, chunk: "_Chunk", file: tuple[File, Carried | None]) -> Outcome:
        """The outcome of one file of a chunk with which workers died: told where the one that it is given to dies."""
        self._wait()
        answer = self._answer(self._begin(_Chunk(chunk.files, {}, chunk.task._replace(files=[file])), 1))
        return _ENDED if answer is None else answer[0]

    def _wait(self) -> None:
        """Wait for workers. Raises ClusterProblem."""
        since = time.monotonic()
        while not self._there(since):
            time.sleep(_LOOKS_EVERY)

    def _answer(self, chunk: "_Chunk") -> Sequence[Outcome] | None:
        """What a worker says of a chunk; None where those that it was given to died. Then the work that waits has to be
        begun again."""
        since = time.monotonic()
        while True:
            try:
                with _quietly():
                    answer: _Answer = chunk.future.result(timeout=_LOOKS_EVERY).open()
                break
            except Exception as error:
                problem = type(error).__name__
                if problem == "KilledWorker":
                    return None
                if not isinstance(error, TimeoutError) and problem not in ("CancelledError", "FutureCancelledError"):
                    raise ClusterProblem(
                        f"{self._cluster.address}: a worker cannot do the work: {problem}; is Overhang {VERSION} "
                        "installed there?"
                    ) from None
            if self._there(since):
                since = time.monotonic()
                if not set(chunk.workers) & set(self._workers):
                    return None
        if answer.raised is not None:
            raise answer.raised
        return answer.outcomes

    def _there(self, since: float) -> bool:
        """Look whether there are workers. Raises ClusterProblem where there have been none for too long."""
        try:
            self._look()
        except ClusterProblem:
            if self._client.status != "running" or time.monotonic() - since > _WAITS_FOR_WORKERS:
                raise
            return False
        return True

    def _look(self) -> int:
        """Which workers there are to which the work may go: how many threads they have. Raises ClusterProblem."""
        address = self._cluster.address
        try:
            with _quietly():
                found: Mapping[str, Mapping[str, Any]] = self._client.scheduler_info(n_workers=-1)["workers"]
        except Exception:
            raise ClusterProblem(f"{address}: the scheduler has gone away; run it again") from None
        safe = {each: about for each, about in found.items() if _safe(each)}
        if not safe:
            other = min(found, default=None)
            if other is None:
                raise ClusterProblem(f"{address}: the scheduler has no worker; start some, then run this again")
            raise ClusterProblem(f"{address}: its worker at {other} is on another machine and does not speak TLS")
        self._workers = tuple(safe)
        return sum(int(each.get("nthreads", 1)) for each in safe.values())


class _Chunk:
    """Some files: the outcomes that are known, the work that is left, and what that comes to."""

    def __init__(self, files: Sequence[File], known: Mapping[int, Outcome], task: _Task) -> None:
        self.files, self.known, self.task = files, known, task
        self.future: Any = None
        self.workers: tuple[str, ...] = ()


_ENDED = Outcome(None)


def _parts(address: str) -> tuple[str, str]:
    """The scheme and the host of an address."""
    parts = urlsplit(address if "://" in address else f"tcp://{address}")
    return parts.scheme, parts.hostname or ""


def _place(address: str) -> tuple[str, int]:
    """The host and the port of an address; 0 where it names none. Raises ValueError."""
    return _parts(address)[1], urlsplit(address if "://" in address else f"tcp://{address}").port or 0


def _safe(address: str) -> bool:
    """Whether what travels to an address is encrypted, or stays on this machine."""
    scheme, host = _parts(address)
    return scheme == "tls" or (scheme == "tcp" and _loopback(host))


def _loopback(host: str) -> bool:
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def _secure(address: str) -> bool:
    """Whether an address is one that TLS is spoken with. Raises ClusterProblem for one that must not be used."""
    try:
        (scheme, host), (_, port) = _parts(address), _place(address)
    except ValueError:
        scheme, host, port = "", "", 0
    if scheme not in ("tcp", "tls") or not (host and port):
        raise ClusterProblem(f"--scheduler {address}: expected tls://HOST:PORT, or tcp://127.0.0.1:PORT")
    if not _safe(address):
        raise ClusterProblem(
            f"--scheduler {address}: configurations and their secrets would travel in the clear; use tls://"
        )
    return scheme == "tls"


def _connected(address: str, secure: bool) -> Any:
    """A connection to a scheduler. Raises ClusterProblem."""
    if importlib.util.find_spec("distributed") is None:
        raise ClusterProblem("--scheduler needs a further package: pip install 'overhang[fleet]'")
    with _quietly():
        distributed: Any = importlib.import_module("distributed")
        for name in [each for each in logging.root.manager.loggerDict if each.startswith("distributed")]:
            logging.getLogger(name).setLevel(logging.CRITICAL + 1)  # what matters is told in our own words
        security = distributed.Security(require_encryption=True) if secure else None
        if security is not None:
            for key in ("tls_ca_file", "tls_client_cert", "tls_client_key"):
                if not getattr(security, key):
                    setting = key.replace("tls_client_", "client.").replace("tls_ca_", "ca-")
                    raise ClusterProblem(f"{address}: TLS needs distributed.comm.tls.{setting} in Dask's configuration")
        try:
            socket.create_connection(_place(address), _ANSWERS_WITHIN).close()  # its client would try for long
            return distributed.Client(
                address, security=security, timeout=_ANSWERS_WITHIN, set_as_default=False, direct_to_workers=False
            )
        except Exception as error:
            raise ClusterProblem(f"{address}: no scheduler answers there{_reason(error)}") from None


def _reason(error: BaseException) -> str:
    """Why a connection failed, in one line, where TLS or the system says so."""
    chain: list[BaseException] = []
    while error not in chain:
        chain.append(error)
        error = error.__cause__ or error.__context__ or error
    known = [each for each in chain if isinstance(each, OSError) and each.strerror]
    if not known:
        return ""
    why = known[-1]
    text = why.verify_message if isinstance(why, ssl.SSLCertVerificationError) else why.strerror
    return ": " + " ".join(str(text).split())[:120]


@contextlib.contextmanager
def _quietly() -> Iterator[None]:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield
