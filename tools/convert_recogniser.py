"""Made skiagraph/assets/models/face_descriptor.onnx from dlib's recognition network; kept to show where the file comes
from.

dlib's own Python module computes a descriptor in 230 ms and holds the interpreter lock meanwhile (measured, dlib-bin
20.0.1), which would freeze the window. The same weights run by onnxruntime take 11 ms on one thread and leave the lock
alone.

    pip install onnx numpy dlib-bin;  pip download --no-deps --no-binary :all: face_recognition_models==0.3.0  (unpack
    it) python tools/convert_recogniser.py .../dlib_face_recognition_resnet_model_v1.dat face_descriptor.onnx

Descriptors equal dlib's within 1e-6. Network: He et al., Deep Residual
Learning, 2016, in the variant of dlib's dnn_face_recognition_ex.cpp (29 convolutions, 128 numbers); weights by Davis
King, CC0.
"""

import sys

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

MEAN = (122.782, 117.001, 104.298)


class Weights:
    """The tensors of a dlib network file, in the order they are stored: from the input to the output."""

    def __init__(self, data: bytes):
        self.data, self.at = data, 0

    def _number(self) -> int:
        size = self.data[self.at]
        self.at += 1
        sign = size & 0x80
        size &= 0x0F
        value = int.from_bytes(self.data[self.at : self.at + size], "little")
        self.at += size
        return -value if sign else value

    def after(self, tag: bytes, size: int) -> np.ndarray:
        """The first tensor of `size` numbers after the next layer named tag."""
        self.at = self.data.index(tag, self.at) + len(tag)
        for start in range(self.at, self.at + 4000):
            self.at = start
            try:
                head = [self._number() for _ in range(5)]
            except IndexError:
                continue
            if head[0] == 2 and np.prod(head[1:]) == size:
                values = np.frombuffer(self.data, "<f4", size, self.at)
                self.at += 4 * size
                return values
        raise ValueError(f"no tensor of {size} numbers after {tag!r}")


class Graph:
    def __init__(self, weights: Weights):
        self.weights, self.nodes, self.constants, self.count = weights, [], [], 0

    def constant(self, values: np.ndarray) -> str:
        self.count += 1
        name = f"c{self.count}"
        self.constants.append(numpy_helper.from_array(np.ascontiguousarray(values, np.float32), name))
        return name

    def node(self, kind: str, inputs: list[str], **attributes) -> str:
        self.count += 1
        name = f"n{self.count}"
        self.nodes.append(helper.make_node(kind, inputs, [name], **attributes))
        return name

    def convolution(self, x: str, filters: int, channels: int, side: int, stride: int) -> str:
        """A convolution with the affine layer after it folded in."""
        raw = self.weights.after(b"con_", filters * channels * side * side + filters)
        kernel, bias = raw[:-filters].reshape(filters, channels, side, side), raw[-filters:]
        gain = self.weights.after(b"affine_", 2 * filters)
        gamma, beta = gain[:filters], gain[filters:]
        pad = side // 2 if stride == 1 else 0
        return self.node(
            "Conv",
            [x, self.constant(kernel * gamma[:, None, None, None]), self.constant(bias * gamma + beta)],
            kernel_shape=[side, side],
            strides=[stride, stride],
            pads=[pad] * 4,
        )

    def block(self, x: str, filters: int, channels: int, size: int, down: bool) -> tuple[str, int]:
        """A residual block; returns its output and the side of it in px."""
        stride = 2 if down else 1
        inner = self.node("Relu", [self.convolution(x, filters, channels, 3, stride)])
        inner = self.convolution(inner, filters, filters, 3, 1)
        after = (size - 3) // 2 + 1 if down else size
        around = x
        if down:
            pooled = (size - 2) // 2 + 1
            around = self.node("AveragePool", [x], kernel_shape=[2, 2], strides=[2, 2])
            # dlib adds tensors of unlike size as if the smaller were filled up with zeros.
            around = self._grown(around, filters - channels, after - pooled)
            inner = self._grown(inner, 0, pooled - after)
            after = max(after, pooled)
        return self.node("Relu", [self.node("Add", [inner, around])]), after

    def _grown(self, x: str, channels: int, pixels: int) -> str:
        channels, pixels = max(0, channels), max(0, pixels)
        if not channels and not pixels:
            return x
        self.count += 1
        pads = f"p{self.count}"
        self.constants.append(
            numpy_helper.from_array(np.array([0, 0, 0, 0, 0, channels, pixels, pixels], np.int64), pads)
        )
        return self.node("Pad", [x, pads])


def main(source: str, target: str) -> None:
    weights = Weights(open(source, "rb").read())
    graph = Graph(weights)
    x = graph.node("Relu", [graph.convolution("face", 32, 3, 7, 2)])
    x = graph.node("MaxPool", [x], kernel_shape=[3, 3], strides=[2, 2])
    size, channels = 35, 32
    for filters, downs in ((32, (0, 0, 0)), (64, (1, 0, 0, 0)), (128, (1, 0, 0)), (256, (1, 0, 0)), (256, (1,))):
        for down in downs:
            x, size = graph.block(x, filters, channels, size, bool(down))
            channels = filters
    x = graph.node("Flatten", [graph.node("GlobalAveragePool", [x])])
    dense = weights.after(b"fc_2", channels * 128).reshape(channels, 128)
    graph.nodes.append(helper.make_node("MatMul", [x, graph.constant(dense)], ["descriptor"]))
    model = helper.make_model(
        helper.make_graph(
            graph.nodes,
            "face_descriptor",
            [helper.make_tensor_value_info("face", TensorProto.FLOAT, [1, 3, 150, 150])],
            [helper.make_tensor_value_info("descriptor", TensorProto.FLOAT, [1, 128])],
            graph.constants,
        ),
        opset_imports=[helper.make_opsetid("", 13)],
    )
    onnx.checker.check_model(model)
    onnx.save(model, target)
    print(f"{target}: input is (RGB - {MEAN}) / 256")


if __name__ == "__main__":
    main(*sys.argv[1:])
