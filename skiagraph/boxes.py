"""Arithmetic on boxes. Layout everywhere: x0, y0, x1, y1 in pixels of the upright frame, far edge exclusive."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.floating]


def iou(boxes: FloatArray, others: FloatArray) -> FloatArray:
    """Intersection over union of every pair: boxes (n, 4) and others (m, 4) give (n, m) within 0..1.

    0 where both are empty. Source: Everingham et al., The PASCAL Visual Object Classes Challenge, IJCV 2010.
    """
    inter = intersection(boxes, others)
    union = area(boxes)[:, None] + area(others)[None, :] - inter
    return np.divide(inter, union, out=np.zeros_like(inter), where=union > 0)


def paired_iou(boxes: FloatArray, others: FloatArray) -> FloatArray:
    """Intersection over union of each box with the other of the same row: (n, 4) and (n, 4) give (n,)."""
    boxes, others = np.asarray(boxes, float).reshape(-1, 4), np.asarray(others, float).reshape(-1, 4)
    inter = np.prod(
        np.maximum(np.minimum(boxes[:, 2:], others[:, 2:]) - np.maximum(boxes[:, :2], others[:, :2]), 0), axis=1
    )
    union = area(boxes) + area(others) - inter
    return np.divide(inter, union, out=np.zeros_like(inter), where=union > 0)


def intersection(boxes: FloatArray, others: FloatArray) -> FloatArray:
    """Area common to every pair, (n, m) square pixels."""
    boxes, others = np.asarray(boxes, float).reshape(-1, 4), np.asarray(others, float).reshape(-1, 4)
    sides = np.minimum(boxes[:, None, 2:], others[None, :, 2:])
    sides -= np.maximum(boxes[:, None, :2], others[None, :, :2])
    np.maximum(sides, 0, out=sides)
    return sides[..., 0] * sides[..., 1]


def area(boxes: FloatArray) -> FloatArray:
    """Area of each box, (n,), 0 for an inverted one."""
    boxes = np.asarray(boxes, float).reshape(-1, 4)
    sides = np.maximum(boxes[:, 2:] - boxes[:, :2], 0)
    return sides[:, 0] * sides[:, 1]


def crossing(boxes: FloatArray, around: float = 0.0, overlap: float = 0.05) -> NDArray[np.bool_]:
    """Which of the boxes (n, 4), made larger by so many of their widths on each side, overlap another one by more than
    `overlap` (IoU)."""
    boxes = np.asarray(boxes, float).reshape(-1, 4)
    wide = boxes + (boxes[:, 2:3] - boxes[:, 0:1]) * around * np.array([-1, -1, 1, 1])
    return (iou(wide, wide) - np.eye(len(wide)) > overlap).any(axis=1)


def xyxy_to_cxcywh(boxes: FloatArray) -> FloatArray:
    """(n, 4) x0, y0, x1, y1 to centre x, centre y, width, height."""
    boxes = np.asarray(boxes, float).reshape(-1, 4)
    return np.concatenate([(boxes[:, :2] + boxes[:, 2:]) / 2, boxes[:, 2:] - boxes[:, :2]], axis=1)


def cxcywh_to_xyxy(boxes: FloatArray) -> FloatArray:
    """(n, 4) centre x, centre y, width, height to x0, y0, x1, y1."""
    boxes = np.asarray(boxes, float).reshape(-1, 4)
    return np.concatenate([boxes[:, :2] - boxes[:, 2:] / 2, boxes[:, :2] + boxes[:, 2:] / 2], axis=1)
