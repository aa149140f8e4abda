"""Networks that ship with the application, ready to run on one thread: a scan overlaps its work itself."""

from __future__ import annotations

import contextlib
import os
import shutil
from importlib import resources
from pathlib import Path


def weights(name: str) -> bytes:
    """A file of assets/models."""
    return resources.files("skiagraph.assets").joinpath("models", name).read_bytes()


def onnx_network(name: str):
    """An onnxruntime.InferenceSession; may be shared between threads."""
    onnxruntime = _silent_runtime()
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    # Errors only: it warns of graphics cards that it does not find.
    options.log_severity_level = 3
    return onnxruntime.InferenceSession(weights(name), options, providers=["CPUExecutionProvider"])


def _silent_runtime():
    """onnxruntime, kept from telling its maker about this machine.

    Version 1.32 looks up and contacts a host of its maker some ten seconds after a network is loaded, and keeps an id
    and a queue of events in the user's cache, unless this stands in the environment before it is imported (tried; its
    own switch does not stop it). Processes we start inherit it.
    """
    os.environ["ORT_DISABLE_TELEMETRY"] = "1"
    import onnxruntime

    _forget_events()
    return onnxruntime


def _forget_events() -> None:
    """Take away what earlier versions of Skiagraph let it leave behind; other folders of that name are not ours to
    touch."""
    left = (
        Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
        / "Microsoft"
        / "DeveloperTools"
        / ".onnxruntime"
    )
    if left.is_dir():
        shutil.rmtree(left, ignore_errors=True)
        for folder in (left.parent, left.parent.parent):
            with contextlib.suppress(OSError):
                folder.rmdir()
