"""Made skiagraph/assets/models/face_detector.onnx from the weights in libfacedetection; kept to show where the file
comes from.

That library carries the weights of YuNet as arrays of its shared object, under their layers' names, and runs them
slowly (without wide instructions). onnxruntime runs the same network eight times as fast.

    pip install onnx numpy;  pip download --no-deps yuface==2023.5.1  (unpack it)
    python tools/convert_detector.py .../yuface/libfacedetection.so face_detector.onnx

What it finds equals what the library finds (boxes to the px, scores to the percent the library gives).
Network: Wu, Peng and Yu, YuNet: A Tiny Millisecond-level Face Detector, Machine Intelligence Research 2023; weights by
Shiqi Yu, BSD 3-clause.
"""

import ctypes
import sys

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

# Input and output channels of the units of the backbone after its first one.
UNITS = ((16, 32), (32, 64), (64, 64), (64, 64), (64, 64))
HEADS = (("cls", 1), ("obj", 1), ("bbox", 4), ("kps", 10))


class Graph:
    def __init__(self, library: ctypes.CDLL):
        self.library, self.nodes, self.constants, self.count = library, [], [], 0

    def stored(self, name: str, *shape: int) -> np.ndarray:
        return np.array((ctypes.c_float * int(np.prod(shape))).in_dll(self.library, name), np.float32).reshape(shape)

    def constant(self, values: np.ndarray) -> str:
        self.count += 1
        name = f"c{self.count}"
        self.constants.append(numpy_helper.from_array(np.ascontiguousarray(values), name))
        return name

    def node(self, kind: str, inputs: list[str], output: str = "", **attributes) -> str:
        self.count += 1
        name = output or f"n{self.count}"
        self.nodes.append(helper.make_node(kind, inputs, [name], **attributes))
        return name

    def relu(self, x: str) -> str:
        return self.node("Relu", [x])

    def first(self, x: str) -> str:
        """3x3, stride 2; stored as 27 weights a filter, filled up to 32, in the order row, column, colour (BGR; turned
        to RGB here)."""
        kernel = (
            self.stored("backbone__model0_pw_weight", 16, 32)[:, :27]
            .reshape(16, 3, 3, 3)[..., ::-1]
            .transpose(0, 3, 1, 2)
        )
        x = self.node("Cast", [self.node("Transpose", [x], perm=[0, 3, 1, 2])], to=TensorProto.FLOAT)
        bias = self.stored("backbone__model0_pw_bias", 16)
        return self.relu(
            self.node(
                "Conv",
                [x, self.constant(kernel), self.constant(bias)],
                kernel_shape=[3, 3],
                strides=[2, 2],
                pads=[1] * 4,
            )
        )

    def separable(self, x: str, name: str, channels: int, filters: int) -> str:
        """1x1 over channels, then 3x3 in each: both stored with the channels last."""
        point = self.stored(f"{name}_pw_weight", filters, channels)[:, :, None, None]
        x = self.node(
            "Conv",
            [x, self.constant(point), self.constant(self.stored(f"{name}_pw_bias", filters))],
            kernel_shape=[1, 1],
        )
        depth = self.stored(f"{name}_dw_weight", 9, filters).T.reshape(filters, 1, 3, 3)
        return self.node(
            "Conv",
            [x, self.constant(depth), self.constant(self.stored(f"{name}_dw_bias", filters))],
            kernel_shape=[3, 3],
            pads=[1] * 4,
            group=filters,
        )

    def pooled(self, x: str) -> str:
        return self.node("MaxPool", [x], kernel_shape=[2, 2], strides=[2, 2])

    def flat(self, x: str, numbers: int) -> str:
        """(1, numbers, rows, columns) to (places, numbers)."""
        return self.node(
            "Reshape",
            [self.node("Transpose", [x], perm=[0, 2, 3, 1]), self.constant(np.array([-1, numbers], np.int64))],
        )

    def level(self, x: str, n: int) -> tuple[str, str]:
        """Scores (places, 1) and rows (places, 14) of one level."""
        flat = {
            head: self.flat(self.separable(x, f"bbox_head__multi_level_{head}__{n}", 64, numbers), numbers)
            for head, numbers in HEADS
        }
        score = self.node("Sqrt", [self.node("Mul", [self.node("Sigmoid", [flat[head]]) for head in ("cls", "obj")])])
        return score, self.node("Concat", [flat["bbox"], flat["kps"]], axis=1)


def main(source: str, target: str) -> None:
    graph = Graph(ctypes.CDLL(source))
    x = graph.relu(graph.separable(graph.first("picture"), "backbone__model0_dp", 16, 16))
    x, levels = graph.pooled(x), []
    for n, (channels, filters) in enumerate(UNITS, start=1):
        x = graph.relu(graph.separable(x, f"backbone__model{n}_dp1", channels, channels))
        x = graph.relu(graph.separable(x, f"backbone__model{n}_dp2", channels, filters))
        if n >= 3:
            levels.append(x)
        if 2 <= n < 5:
            x = graph.pooled(x)
    above, found = None, {}
    for n in (2, 1, 0):
        x = levels[n]
        if above is not None:
            larger = graph.node(
                "Resize",
                [above, "", graph.constant(np.array([1, 1, 2, 2], np.float32))],
                mode="nearest",
                coordinate_transformation_mode="asymmetric",
                nearest_mode="floor",
            )
            x = graph.node("Add", [larger, x])
        above = graph.relu(graph.separable(x, f"neck__lateral_convs__{n}", 64, 64))
        found[n] = graph.level(above, n)
    for at, output in enumerate(("scores", "rows")):
        graph.node("Concat", [found[n][at] for n in (0, 1, 2)], output, axis=0)
    model = helper.make_model(
        helper.make_graph(
            graph.nodes,
            "face_detector",
            [helper.make_tensor_value_info("picture", TensorProto.UINT8, [1, "rows", "columns", 3])],
            [
                helper.make_tensor_value_info(name, TensorProto.FLOAT, ["places", numbers])
                for name, numbers in (("scores", 1), ("rows", 14))
            ],
            graph.constants,
        ),
        opset_imports=[helper.make_opsetid("", 13)],
        ir_version=8,
    )
    onnx.checker.check_model(model)
    onnx.save(model, target)
    print(
        f"{target}: input is RGB, 0 to 255, rows and columns multiples of 32; for each place of the levels of stride 8,"
        " 16 and 32, row by row: score; middle x, y and the logarithms of width and height, and five landmarks, in"
        " strides from the place"
    )


if __name__ == "__main__":
    main(*sys.argv[1:])
