"""Networks that ship with the application, ready to run on one thread: a scan overlaps its work itself."""

from __future__ import annotations

from importlib import resources


def weights(name: str) -> bytes:
    """A file of assets/models."""
    return resources.files("skiagraph.assets").joinpath("models", name).read_bytes()


def onnx_network(name: str):
    """An onnxruntime.InferenceSession; may be shared between threads."""
    import onnxruntime
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    # Errors only: it warns of graphics cards that it does not find.
    options.log_severity_level = 3
    return onnxruntime.InferenceSession(weights(name), options, providers=["CPUExecutionProvider"])
