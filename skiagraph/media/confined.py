"""Decoding in processes of their own, each for one file, with limits of memory and time: a file that makes a decoder
crash, hang or swallow memory ends that process, and becomes a sentence.

A nursery process, started once, has the libraries loaded and forks a confined one in some milliseconds; it has no
threads, so that forking is safe.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import importlib
import mmap
import os
import resource
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
import traceback
import weakref
from collections.abc import Callable, Iterator
from multiprocessing.connection import Connection

from skiagraph.errors import Cancelled, SkiagraphError
from skiagraph.jobs import JobControl, Progress
from skiagraph.logs import log

# Bytes of private memory: what the interpreter, the libraries and the tables of a decoder take with small pictures
# (measured: 190 MB with H.264 at 720p), three times.
BASE_BYTES = 600 << 20
# As many decoded pictures fit beside it: 16 that others are made from (H.264, H.265 and AV1 allow no more), as many
# again for each of two threads, and what conversions need.
PICTURES = 64
# A process that neither read nor decoded anything for so long hangs; the slowest picture measured, 8K FFV1, took 1.4 s.
SILENT_S = 30.0
# One answer takes this long at most, whatever it does meanwhile: an index of hours from a slow disk.
ANSWER_S = 3600.0
# What is loaded before forking.
_PRELOADED = ("numpy", "av", "skiagraph.media.decoder", "skiagraph.media.index", "skiagraph.media.audio")
# Ends of a process that its file brought about, and not somebody or something from outside.
_OF_ITS_OWN = {
    signal.SIGSEGV,
    signal.SIGABRT,
    signal.SIGBUS,
    signal.SIGILL,
    signal.SIGFPE,
    signal.SIGSYS,
    signal.SIGTRAP,
}
# Of linux/prctl.h: the signal a process gets when its parent ends.
_PR_SET_PDEATHSIG = 1
_COUNTER = struct.Struct("q")


class Ended(Exception):
    """The process ended or hung before it answered. why: in a few words; by_file: the file it read brought it about, as
    far as can be known."""

    def __init__(self, why: str, by_file: bool):
        super().__init__(why)
        self.why, self.by_file = why, by_file


class Inside:
    """What a confined process has of the world: requests that come in, answers that go out, and memory it shares."""

    def __init__(self, connection: Connection, shared: mmap.mmap):
        self._connection, self._shared = connection, shared
        self._beats = 0
        self.control = JobControl(lambda progress: self._tell(progress))
        self.memory = memoryview(shared)[mmap.PAGESIZE :]

    def requests(self) -> Iterator[object]:
        """What is asked, one after another, until nobody asks any more. Each wants one answer."""
        while True:
            try:
                yield self._connection.recv()
            except (EOFError, OSError):
                return

    def answer(self, value: object) -> None:
        self._connection.send(("answer", value))

    def fail(self, error: SkiagraphError) -> None:
        self._connection.send(("failed", error))

    def give_up(self, kind: str, why: str) -> None:
        """The last that is said. kind: memory, where too much of it was asked for, or unexpected."""
        self._connection.send((kind, why))

    def beat(self) -> None:
        """Say that the work goes on."""
        self._beats += 1
        _COUNTER.pack_into(self._shared, 0, self._beats)

    def allow(self, picture_bytes: int, pictures: int = PICTURES) -> None:
        """Limit memory to what decoding pictures of this size takes."""
        resource.setrlimit(resource.RLIMIT_DATA, (BASE_BYTES + pictures * picture_bytes, resource.RLIM_INFINITY))

    def _tell(self, progress: Progress) -> None:
        self.beat()
        self._connection.send(("progress", progress))


class Confined:
    """A process that runs target(inside, *arguments), a module's own function; what goes in and out can be pickled.

    name: of the file it reads, for sentences. shared: bytes of memory to be shared with it.
    """

    def __init__(self, target: Callable, *arguments: object, name: str, shared: int = 0):
        self._name = name
        memory = os.memfd_create("skiagraph-pictures", os.MFD_CLOEXEC)
        try:
            os.ftruncate(memory, mmap.PAGESIZE + shared)
            self._shared = mmap.mmap(memory, mmap.PAGESIZE + shared)
            self.memory = memoryview(self._shared)[mmap.PAGESIZE :]
            here, there = socket.socketpair()
            with there:
                self._pid = _nursery().fork(there.fileno(), memory)
        finally:
            os.close(memory)
        self._connection = Connection(here.detach())
        self._finish = weakref.finalize(self, _end, self._pid, self._connection, False)
        with contextlib.suppress(OSError):  # whoever is gone already is met at the first answer
            self._connection.send((target.__module__, target.__qualname__, arguments))

    def ask(self, request: object = None, control: JobControl | None = None) -> object:
        """Send a request and wait for its answer.

        Raises what the process sends as an error, Cancelled, and Ended; the process is gone then, except after an error
        it sent.
        """
        if not self._finish.alive:
            raise Ended("it was ended before", by_file=False)
        try:
            self._connection.send(request)
            return self._answer(control)
        except (EOFError, OSError):
            raise self._ended() from None
        except (Cancelled, Ended):
            self.close()
            raise

    def _answer(self, control: JobControl | None) -> object:
        beats, before, busy = self._beats(), time.monotonic(), _busy_s(self._pid)
        silent = whole = 0.0
        while True:
            if self._connection.poll(0.1 if control else 1.0):
                kind, value = self._connection.recv()
                if kind == "answer":
                    return value
                if kind == "failed":
                    raise value
                if kind == "memory":
                    raise Ended("it asked for more memory than pictures of its size take", by_file=True)
                if kind == "unexpected":
                    log.error("the process that decodes %s failed\n%s", self._name, value)
                    raise RuntimeError(value.strip().splitlines()[-1])
                if control:
                    control.report(value.step, value.done, value.total)
            elif control:
                control.check()
            now = time.monotonic()
            # This process may have been stopped itself, as from a terminal; that time does not count.
            passed, before = min(now - before, 2.0), now
            silent, whole = silent + passed, whole + passed
            if self._beats() != beats:
                beats, silent, busy = self._beats(), 0.0, _busy_s(self._pid)
            if silent > SILENT_S or whole > ANSWER_S:
                log.error("the process that decodes %s hangs and is ended", self._name)
                # One that waits for a disk is not to blame.
                raise Ended(f"it did not get on for {SILENT_S:.0f} s", by_file=_busy_s(self._pid) - busy > SILENT_S / 2)

    def _beats(self) -> int:
        return _COUNTER.unpack_from(self._shared, 0)[0]

    def _ended(self) -> Ended:
        self._finish.detach()
        code = _end(self._pid, self._connection, True)
        log.error("the process that decodes %s ended with code %s", self._name, code)
        if code is not None and code < 0:
            return Ended(f"it was ended by signal {-code}", by_file=-code in {int(s) for s in _OF_ITS_OWN})
        return Ended(f"its process ended with code {code}", by_file=False)

    def close(self) -> None:
        """End the process. It has nothing to lose."""
        self._finish()


def prepare() -> None:
    """Begin to load what decoders need, since the first is soon to be wanted."""
    _nursery()


def answered(
    target: Callable,
    *arguments: object,
    name: str,
    control: JobControl | None = None,
    error: type[SkiagraphError] = SkiagraphError,
) -> object:
    """What target(inside, *arguments) answers to one request.

    When its process ends or hangs, `error` is raised with a sentence.
    """
    confined = Confined(target, *arguments, name=name)
    try:
        return confined.ask(control=control)
    except Ended as end:
        raise error(
            f"{name} cannot be decoded: the decoder stopped ({end.why}); convert the file, or copy it again."
        ) from None
    finally:
        confined.close()


def _busy_s(pid: int) -> float:
    """Seconds for which the threads of a process ran or waited for a processor, which on a busy machine is most of it;
    0 where it is not known. Linux, Documentation/scheduler/sched-stats."""
    total = 0
    with contextlib.suppress(OSError, IndexError, ValueError):
        for thread in os.listdir(f"/proc/{pid}/task"):
            with open(f"/proc/{pid}/task/{thread}/schedstat") as file:
                ran, waited = file.read().split()[:2]
                total += int(ran) + int(waited)
    return total / 1e9


def _end(pid: int, connection: Connection, wanted: bool) -> int | None:
    """End a process. wanted: wait for its exit code, negative for a signal; None where it is not known."""
    connection.close()
    with contextlib.suppress(ProcessLookupError):
        # One that ended by itself keeps its code until it is asked for.
        os.kill(pid, signal.SIGKILL)
    with contextlib.suppress(OSError):
        if wanted:
            return _nursery().code(pid)
        _nursery().forget(pid)
    return None


class _Nursery:
    """The process that forks. One for this process; it ends with it."""

    def __init__(self):
        # Each message is read whole.
        here, there = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self.owner = os.getpid()
        self._socket, self._lock = here, threading.Lock()
        start = (
            f"import sys; sys.path[:] = {sys.path!r}; from skiagraph.media.confined import nurse;"
            f" nurse({there.fileno()})"
        )
        with there:
            # In a session of its own, so that what interrupts us from a terminal does not reach it; it ends when its
            # socket does. What libraries print of a damaged file is nothing for a person.
            self._process = subprocess.Popen(
                [sys.executable, "-c", start],
                pass_fds=[there.fileno()],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
                env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
            )
        # It is not waited for.
        self._process.returncode = 0

    @property
    def lives(self) -> bool:
        return self.owner == os.getpid() and self._socket.fileno() >= 0

    def fork(self, connection: int, memory: int) -> int:
        with self._lock:
            socket.send_fds(self._socket, [b"+"], [connection, memory])
            return self._said()

    def code(self, pid: int) -> int | None:
        """The exit code of a process that has ended or is about to."""
        with self._lock:
            self._socket.sendall(b"?" + struct.pack("i", pid))
            code = self._said()
            return None if code == _UNKNOWN else code

    def forget(self, pid: int) -> None:
        """Nobody will ask for the exit code of a process."""
        with self._lock:
            self._socket.sendall(b"-" + struct.pack("i", pid))

    def _said(self) -> int:
        data = self._socket.recv(4)
        if len(data) < 4:
            self._socket.close()
            raise BrokenPipeError("the process that starts decoders is gone")
        return struct.unpack("i", data)[0]


_UNKNOWN = -1 << 31
_one: _Nursery | None = None
_one_lock = threading.Lock()


def _nursery() -> _Nursery:
    global _one
    with _one_lock:
        if _one is None or not _one.lives:
            _one = _Nursery()
        return _one


# What follows runs in the nursery and in the processes it forks.


def nurse(number: int) -> None:
    """Fork whenever asked, until whoever asks is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    for name in _PRELOADED:
        importlib.import_module(name)
    gc.freeze()
    asked = socket.socket(fileno=number)
    forgotten: set[int] = set()
    while True:
        data, handles, _, _ = socket.recv_fds(asked, 5, 2)
        if not data:
            os._exit(0)
        forgotten = {pid for pid in forgotten if os.waitpid(pid, os.WNOHANG)[0] == 0}
        if data[:1] == b"-":
            forgotten.add(struct.unpack("i", data[1:])[0])
            continue
        if data[:1] == b"?":
            asked.sendall(struct.pack("i", _code_of(struct.unpack("i", data[1:])[0])))
            continue
        pid = os.fork()
        if not pid:
            asked.close()
            _confined(*handles)
        for handle in handles:
            os.close(handle)
        asked.sendall(struct.pack("i", pid))


def _code_of(pid: int) -> int:
    for n in range(100):
        with contextlib.suppress(ChildProcessError):
            done, status = os.waitpid(pid, os.WNOHANG)
            if done:
                return os.waitstatus_to_exitcode(status)
            # Stuck in the kernel, on a disk that is gone: it is not waited for.
            time.sleep(min(0.0002 * 2**n, 0.02))
            continue
        break
    return _UNKNOWN


def _confined(connection_fd: int, memory_fd: int) -> None:
    """What a forked process does; it never returns."""
    code = 1
    try:
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
        # No faces in core files, and no files at all.
        for limit in (resource.RLIMIT_CORE, resource.RLIMIT_FSIZE):
            resource.setrlimit(limit, (0, 0))
        connection, shared = Connection(connection_fd), mmap.mmap(memory_fd, 0)
        os.close(memory_fd)
        inside = Inside(connection, shared)
        inside.allow(0)
        module, name, arguments = connection.recv()
        _run(inside, getattr(importlib.import_module(module), name), arguments)
        code = 0
    except (EOFError, OSError):
        code = 0
    finally:
        os._exit(code)


def _run(inside: Inside, target: Callable, arguments: tuple) -> None:
    import av.error

    try:
        target(inside, *arguments)
    except SkiagraphError as error:
        inside.fail(error)
    except (MemoryError, av.error.MemoryError):
        inside.give_up("memory", "")
    except OSError:
        # Whoever asked is gone.
        raise
    except Exception:
        inside.give_up("unexpected", traceback.format_exc())
