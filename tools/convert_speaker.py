"""Made skiagraph/assets/models/speaker_encoder.onnx from Resemblyzer's voice encoder; kept to show where the file comes
from.

    pip install torch==2.13.0 onnx onnxruntime numpy;  pip download --no-deps Resemblyzer==0.1.4  (unpack it)
    python tools/convert_speaker.py .../resemblyzer/pretrained.pt speaker_encoder.onnx

The script compares both networks on random spectrograms and stops where they differ by more than 1e-5. Network: Wan et
al., Generalized End-to-End Loss for Speaker Verification, 2018 (three LSTM layers of 256, 256 numbers); weights by C.
Jemine for Resemble AI, Apache-2.0.
"""

import sys

import numpy as np
import onnx
import onnxruntime
import torch
from onnx import TensorProto, helper, numpy_helper

LAYERS, HIDDEN, BANDS, FRAMES = 3, 256, 40, 160


def to_onnx_gates(values: np.ndarray) -> np.ndarray:
    """PyTorch stacks the gates input, forget, cell, output; ONNX input, output, forget, cell."""
    i, f, c, o = np.split(values, 4)
    return np.concatenate([i, o, f, c])


def converted(state: dict[str, np.ndarray]) -> onnx.ModelProto:
    constants, nodes = [], []

    def constant(name: str, values: np.ndarray) -> str:
        constants.append(numpy_helper.from_array(np.ascontiguousarray(values), name))
        return name

    first_axis, batch_last = constant("axes0", np.array([0], np.int64)), constant("axes1", np.array([1], np.int64))
    nodes.append(helper.make_node("Transpose", ["mel"], ["x0"], perm=[1, 0, 2]))
    for n in range(LAYERS):
        weight = constant(f"w{n}", to_onnx_gates(state[f"lstm.weight_ih_l{n}"])[None])
        recurrent = constant(f"r{n}", to_onnx_gates(state[f"lstm.weight_hh_l{n}"])[None])
        bias = constant(
            f"b{n}", np.concatenate([to_onnx_gates(state[f"lstm.bias_{k}_l{n}"]) for k in ("ih", "hh")])[None]
        )
        nodes.append(
            helper.make_node("LSTM", [f"x{n}", weight, recurrent, bias], [f"y{n}", f"h{n}"], hidden_size=HIDDEN)
        )
        nodes.append(helper.make_node("Squeeze", [f"y{n}", batch_last], [f"x{n + 1}"]))
    nodes.append(helper.make_node("Squeeze", [f"h{LAYERS - 1}", first_axis], ["last"]))
    nodes.append(
        helper.make_node(
            "Gemm",
            ["last", constant("wl", state["linear.weight"]), constant("bl", state["linear.bias"])],
            ["raw"],
            transB=1,
        )
    )
    nodes.append(helper.make_node("Relu", ["raw"], ["positive"]))
    nodes.append(helper.make_node("LpNormalization", ["positive"], ["embedding"], axis=1, p=2))
    graph = helper.make_graph(
        nodes,
        "speaker_encoder",
        [helper.make_tensor_value_info("mel", TensorProto.FLOAT, ["n", "frames", BANDS])],
        [helper.make_tensor_value_info("embedding", TensorProto.FLOAT, ["n", HIDDEN])],
        constants,
    )
    return helper.make_model(graph, opset_imports=[helper.make_opsetid("", 13)], ir_version=9)


class Original(torch.nn.Module):
    def __init__(self, state):
        super().__init__()
        self.lstm = torch.nn.LSTM(BANDS, HIDDEN, LAYERS, batch_first=True)
        self.linear = torch.nn.Linear(HIDDEN, HIDDEN)
        self.load_state_dict(state, strict=False)

    def forward(self, mel):
        _, (hidden, _) = self.lstm(mel)
        raw = torch.relu(self.linear(hidden[-1]))
        return raw / torch.norm(raw, dim=1, keepdim=True)


def main(source: str, target: str) -> None:
    state = torch.load(source, map_location="cpu", weights_only=False)["model_state"]
    model = converted({name: values.numpy().astype(np.float32) for name, values in state.items() if values.ndim})
    onnx.checker.check_model(model)
    onnx.save(model, target)
    mel = (np.random.default_rng(1).gamma(0.5, 0.1, (4, FRAMES, BANDS))).astype(np.float32)
    with torch.no_grad():
        wanted = Original(state)(torch.from_numpy(mel)).numpy()
    found = onnxruntime.InferenceSession(target).run(None, {"mel": mel})[0]
    apart = float(np.abs(wanted - found).max())
    print(f"{target}: input is a mel power spectrogram (n, {FRAMES}, {BANDS}); differs by {apart:.1e} at most")
    if apart > 1e-5:
        sys.exit("The two networks differ.")


if __name__ == "__main__":
    main(*sys.argv[1:])
