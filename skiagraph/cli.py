"""The command line: the same core as the desktop, one sentence for every error."""

from __future__ import annotations

import argparse
import contextlib
import io
import signal
import sys
import threading
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from skiagraph import __version__
from skiagraph.commands import covers, follow, handover, render, review, scan, voice, window
from skiagraph.commands.shared import CANCELLED, ENDED, FAILED, OK, ProgressPrinter
from skiagraph.errors import Cancelled, NameIsNoText, SkiagraphError
from skiagraph.jobs import JobControl
from skiagraph.logs import log, log_file, log_to_file
from skiagraph.memory import give_back_large_buffers


class _Ended(KeyboardInterrupt):
    """The process was asked to end (SIGTERM): it tidies up as when it is interrupted."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code: 0 done, 2 an error, 3 findings, 130 cancelled, 143 ended from outside."""
    printer = ProgressPrinter(sys.stderr)
    try:
        with _heeding_signals():
            for stream in (sys.stdout, sys.stderr):
                if isinstance(stream, io.TextIOWrapper):
                    # A terminal that knows only ASCII gets question marks, and no error.
                    stream.reconfigure(errors="replace")
            options = _parser().parse_args(arguments)
            log_to_file()
            give_back_large_buffers()
            for value in vars(options).values():
                for path in value if isinstance(value, list) else [value]:
                    if isinstance(path, Path):
                        NameIsNoText.unless_text(path.absolute())
            return options.run(options, JobControl(printer))
    except SkiagraphError as error:
        log.exception("failed")
        printer.end()
        print(f"skiagraph: {error}", file=sys.stderr)
        return FAILED
    except (Cancelled, KeyboardInterrupt) as wish:
        printer.end()
        print("skiagraph: Cancelled; nothing was left half-written.", file=sys.stderr)
        return ENDED if isinstance(wish, _Ended) else CANCELLED
    except BrokenPipeError:
        return OK
    except Exception as error:  # no traceback reaches a user; the details are in the log
        log.exception("unexpected")
        printer.end()
        print(
            f"skiagraph: Something unexpected went wrong ({error}); the details are in {log_file()}.", file=sys.stderr
        )
        return FAILED


@contextlib.contextmanager
def _heeding_signals() -> Iterator[None]:
    """While a command runs, interrupting and ending it come as exceptions, so that files half written go."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def end(number, frame):
        raise _Ended()

    former = [
        (number, signal.signal(number, heard))
        for number, heard in ((signal.SIGINT, signal.default_int_handler), (signal.SIGTERM, end))
    ]
    try:
        yield
    finally:
        for number, heard in former:
            signal.signal(number, heard)


class _Parser(argparse.ArgumentParser):
    """Wrong use is one sentence too."""

    def error(self, message):
        print(f"skiagraph: {message[:1].upper() + message[1:]}; see “{self.prog} --help”.", file=sys.stderr)
        raise SystemExit(FAILED)


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="skiagraph", description="Makes people who gave no consent unrecognisable, and proves it.")
    parser.add_argument("--version", action="version", version=f"Skiagraph {__version__}")
    commands = parser.add_subparsers(metavar="COMMAND", required=True, parser_class=_Parser)

    def command(name: str, run: Callable, help_: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=help_, description=help_)
        sub.set_defaults(run=run)
        return sub

    for module in (scan, follow, render, covers, voice, review, handover, window):
        module.add_commands(command)
    return parser
