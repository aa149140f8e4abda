"""Face descriptors: 128 numbers that are near each other for one person and far for two.

They live in memory only: never in a project, a cache or a log.

Network: He et al., Deep Residual Learning, CVPR 2016, as trained by D. King for dlib (weights CC0; see
tools/convert_recogniser.py). Alignment: Kartynnik et al., Real-time Facial Surface Geometry, 2019 (468 landmarks), to
the five points dlib aligns by.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.detect.networks import onnx_network, weights
from skiagraph.detect.turned import between_rolls

CHIP_PX = 150
# Where dlib puts the outer and inner corners of both eyes and the base of the nose in a chip, as shares of its side;
# the picture's left eye first.
_PLACES = (
    np.array(
        [
            (0.1205750620789, 0.2137274526848),
            (0.3340850613712, 0.2290642403242),
            (0.6460604764104, 0.2289674387677),
            (0.8595674595992, 0.2134981538014),
            (0.4901123135679, 0.6277975316475),
        ],
        np.float32,
    )
    + 0.25
) / 1.5
_MESH_POINTS = (33, 133, 362, 263, 2)
_EYE_CORNERS = (33, 263)
_MESH_PX = 192
# A roll of fewer degrees is not worth a second look; one of more is none.
UPRIGHT, MOST_ROLL = 8.0, 60.0
# The landmark network needs no px further from the middle of a box than so many of its longer sides, however it is
# turned, and an aligned face none further than the second.
LANDMARKS_REACH, CHIP_REACH = 1.2, 3.0
_MEAN = np.float32([122.782, 117.001, 104.298])
# A landmark net that is less sure than this that it sees a face has not seen one well enough to tell who it is.
PRESENT = 0.5


@dataclass(frozen=True, slots=True)
class ChipSettings:
    """How much a face is worth for knowing somebody by.

    Set on the pictures of benchmarks/quality.py; only shares against each other count.
    """

    # side of a face, px, from which a larger one is worth no more
    large_px: float = 80.0
    # worth that size leaves at least
    least_large: float = 0.2
    # worth of a face that looks straight ahead, before how far it looks aside, 0..1, is taken from it
    still_facing: float = 1.1
    # worth that looking aside leaves at least
    least_facing: float = 0.1
    # deviation of its second derivative at 75 px, in deviations of its brightness, from which it is sharp
    sharp: float = 0.35
    # worth that blur leaves at least
    least_sharp: float = 0.3
    # deviation of brightness, of 255, below which contrast is noise
    flat: float = 4.0


CHIP = ChipSettings()


@dataclass(frozen=True, slots=True)
class Chip:
    """An aligned face: rgb uint8 (150, 150, 3); side: px of the face in its frame; turn: how far it looks aside, 0
    facing, 1 profile; present: 0..1 how sure it is a face; sharp: 0..1."""

    rgb: np.ndarray
    side: float
    turn: float
    present: float
    sharp: float = 1.0

    @property
    def worth(self) -> float:
        """How much it is worth for knowing somebody by, 0..1: large, facing and sharp is best."""
        large = np.clip(self.side / CHIP.large_px, CHIP.least_large, 1)
        facing = np.clip(CHIP.still_facing - self.turn, CHIP.least_facing, 1)
        return float(large * facing * self.present * self.sharp)


class FaceDescriber:
    """Both networks; not to be shared between threads. threads: for each call."""

    def __init__(self, threads: int = 1):
        from ai_edge_litert.interpreter import Interpreter

        self._mesh = Interpreter(model_content=weights("face_landmarks.tflite"), num_threads=threads)
        self._mesh.allocate_tensors()
        self._input = self._mesh.get_input_details()[0]["index"]
        self._outputs = sorted(self._mesh.get_output_details(), key=lambda detail: -int(np.prod(detail["shape"])))
        # The larger of both is read when somebody is described for the first time.
        self._net = None

    def presence(self, frame_rgb: np.ndarray, box_xyxy: np.ndarray, roll: float = 0.0) -> float:
        """How sure the landmark network is that a detection is a face, 0..1. roll: by how many degrees it leans,
        about."""
        return self._landmarks(frame_rgb, box_xyxy, roll)[1]

    def roll(self, frame_rgb: np.ndarray, box_xyxy: np.ndarray, about: float = 0.0) -> float:
        """How far a head leans to its side, degrees clockwise, by the corners of its eyes; NaN where no face is seen.
        about: by how much it leans, as far as that is known."""
        angle = about
        for _ in range(2):
            # The landmarks of a face that stands upright in what the network is given are best.
            points, present = self._landmarks(frame_rgb, box_xyxy, angle)
            if present < PRESENT:
                return float("nan")
            across = points[_EYE_CORNERS[1]] - points[_EYE_CORNERS[0]]
            before, angle = angle, float(np.degrees(np.arctan2(across[1], across[0])))
            if abs(angle - before) < UPRIGHT:
                break
        return angle if between_rolls(angle, about) < MOST_ROLL else float("nan")

    def chip(
        self, frame_rgb: np.ndarray, box_xyxy: np.ndarray, angle: float = 0.0, seen: np.ndarray | None = None
    ) -> Chip | None:
        """The aligned face of a detection (box px of the frame, roll in degrees clockwise), or None when no face is
        seen there. seen: another picture of the same place that the face is cut out of instead, as with its cover.
        """
        points, present = self._landmarks(frame_rgb, box_xyxy, angle)
        if present < PRESENT:
            return None
        side = float(box_xyxy[2] - box_xyxy[0])
        align, _ = cv2.estimateAffinePartial2D(points[list(_MESH_POINTS)], _PLACES * CHIP_PX, method=cv2.LMEDS)
        if align is None:
            return None
        left, right, nose = points[234], points[454], points[1]
        turn = abs((nose[0] - left[0]) - (right[0] - nose[0])) / max(abs(right[0] - left[0]), 1.0)
        rgb = cv2.warpAffine(
            frame_rgb if seen is None else seen,
            align,
            (CHIP_PX, CHIP_PX),
            flags=cv2.INTER_AREA if side > CHIP_PX else cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )
        grey = cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY).astype(np.float32)
        sharp = float(
            np.clip(
                cv2.Laplacian(cv2.resize(grey, (75, 75), interpolation=cv2.INTER_AREA), cv2.CV_32F).std()
                / max(grey.std(), CHIP.flat)
                / CHIP.sharp,
                CHIP.least_sharp,
                1,
            )
        )
        return Chip(rgb, side, float(min(turn, 1.0)), present, sharp)

    def _landmarks(self, frame_rgb, box_xyxy, angle) -> tuple[np.ndarray, float]:
        """Landmarks float32 (468, 2) in px of the frame, and how surely there is a face."""
        x0, y0, x1, y1 = (float(v) for v in box_xyxy)
        side = max(x1 - x0, 4.0)
        to_crop = cv2.getRotationMatrix2D(((x0 + x1) / 2, (y0 + y1) / 2), angle, _MESH_PX / (1.5 * side))
        to_crop[:, 2] += _MESH_PX / 2 - np.array([(x0 + x1) / 2, (y0 + y1) / 2])
        crop = cv2.warpAffine(
            frame_rgb,
            to_crop,
            (_MESH_PX, _MESH_PX),
            flags=cv2.INTER_AREA if side > 130 else cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )
        self._mesh.set_tensor(self._input, (crop.astype(np.float32) / 255)[None])
        self._mesh.invoke()
        points = self._mesh.get_tensor(self._outputs[0]["index"]).reshape(-1, 3)
        present = float(
            1 / (1 + np.exp(-np.clip(self._mesh.get_tensor(self._outputs[1]["index"]).ravel()[0], -30, 30)))
        )
        back = cv2.invertAffineTransform(to_crop).astype(np.float32)
        return points[:, :2] @ back[:, :2].T + back[:, 2], present

    def describe(self, chip: Chip) -> np.ndarray:
        """float32 (128,). Under 0.6 apart is the same person on the pictures the network was trained with."""
        if self._net is None:
            self._net = onnx_network("face_descriptor.onnx")
        blob = ((chip.rgb.astype(np.float32) - _MEAN) / 256).transpose(2, 0, 1)
        return self._net.run(None, {"face": np.ascontiguousarray(blob[None])})[0][0].astype(np.float32)
