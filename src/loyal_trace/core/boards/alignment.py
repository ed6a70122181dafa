"""A photo and the board map made one: the projective transform between them, from a few points clicked on both.

Method: direct linear transform with normalised points (Hartley and Zisserman, Multiple View Geometry, algorithm 4.2),
least squares when there are more than four points; with two or three points a similarity or an affine transform.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from loyal_trace.core.boards.model import BoardDefinition, Part
from loyal_trace.core.boards.outline import body_size
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

Matrix = NDArray[np.float64]
Point = tuple[float, float]
MIN_POINTS = 2


@dataclass(frozen=True)
class Alignment:
    """Board millimetres ↔ photo pixels. `residual`: mean distance (pixel) of the given points from where they fall."""

    to_photo: Matrix
    to_board: Matrix
    residual: float
    points: int

    def on_photo(self, x: float, y: float) -> Point:
        """Where a place of the board (mm) is on the photo (pixel)."""
        return _moved(self.to_photo, x, y)

    def on_board(self, x: float, y: float) -> Point:
        """Which place of the board (mm) a point of the photo (pixel) shows."""
        return _moved(self.to_board, x, y)


def align(board_points: Sequence[Point], photo_points: Sequence[Point]) -> Alignment:
    """The transform that carries points of the board (mm) onto points of a photo (pixel).

    Two points give turn, size and place; three also shear; four or more full perspective. RequestError for fewer
    points, for points that coincide, and for three or more that lie on one line.
    """
    here, there = np.asarray(board_points, float), np.asarray(photo_points, float)
    if here.shape != there.shape or here.ndim != 2 or len(here) < MIN_POINTS:
        raise RequestError(
            say(
                "an alignment needs {min_points} points or more, each on the board and on the photo",
                min_points=MIN_POINTS,
            )
        )
    if not (np.isfinite(here).all() and np.isfinite(there).all()):
        raise RequestError(say("a point of the alignment is not a number"))
    for points in (here, there):
        _check_spread(points)
    norm_here, norm_there = _normalising(here), _normalising(there)
    solve = _perspective if len(here) >= 4 else _affine if len(here) == 3 else _similarity
    solved = solve(_apply(norm_here, here), _apply(norm_there, there))
    matrix = np.linalg.inv(norm_there) @ solved @ norm_here
    if abs(np.linalg.det(matrix)) < 1e-12 * np.abs(matrix).max() ** 3:
        raise RequestError(say("these points are too close together; choose them further apart"))
    matrix = matrix / matrix[2, 2]
    off = np.linalg.norm(_apply(matrix, here) - there, axis=1)
    return Alignment(matrix, np.linalg.inv(matrix), float(off.mean()), len(here))


def _check_spread(points: Matrix) -> None:
    """RequestError when points coincide, or when three or more lie on one line."""
    centred = points - points.mean(axis=0)
    sizes = np.linalg.svd(centred, compute_uv=False)
    if sizes[0] < 1e-9 or min(np.linalg.norm(a - b) for i, a in enumerate(points) for b in points[:i]) < 1e-9:
        raise RequestError(say("two of the points are the same"))
    if len(points) >= 3 and sizes[1] < 1e-6 * sizes[0]:
        raise RequestError(say("the points lie on one line; choose one away from it"))


def _normalising(points: Matrix) -> Matrix:
    """Moves the mean to the origin and scales the mean distance to √2, which keeps the sums well conditioned."""
    centre = points.mean(axis=0)
    scale = np.sqrt(2) / np.linalg.norm(points - centre, axis=1).mean()
    return np.array([[scale, 0, -scale * centre[0]], [0, scale, -scale * centre[1]], [0, 0, 1]])


def _apply(matrix: Matrix, points: Matrix) -> Matrix:
    moved = np.c_[points, np.ones(len(points))] @ matrix.T
    return np.asarray(moved[:, :2] / moved[:, 2:])


def _moved(matrix: Matrix, x: float, y: float) -> Point:
    u, v, w = matrix @ np.array([x, y, 1.0])
    return float(u / w), float(v / w)


def _perspective(here: Matrix, there: Matrix) -> Matrix:
    rows = []
    for (x, y), (u, v) in zip(here, there, strict=True):
        rows += [[-x, -y, -1, 0, 0, 0, u * x, u * y, u], [0, 0, 0, -x, -y, -1, v * x, v * y, v]]
    return np.asarray(np.linalg.svd(np.array(rows))[2][-1].reshape(3, 3))


def _affine(here: Matrix, there: Matrix) -> Matrix:
    found, *_ = np.linalg.lstsq(np.c_[here, np.ones(len(here))], there, rcond=None)
    return np.vstack([found.T, [0.0, 0.0, 1.0]])


def _similarity(here: Matrix, there: Matrix) -> Matrix:
    """Turn and size from the one vector between the two points."""
    a, b = (points[1] - points[0] for points in (here, there))
    ratio = complex(*b) / complex(*a)
    turn = np.array([[ratio.real, -ratio.imag], [ratio.imag, ratio.real]])
    shift = there[0] - turn @ here[0]
    return np.vstack([np.c_[turn, shift], [0.0, 0.0, 1.0]])


def reference_parts(board: BoardDefinition) -> tuple[Part, ...]:
    """Four parts to click on a photo, one near each corner, clockwise from the upper left; fewer on a tiny board."""
    corners = ((0.0, 0.0), (board.width, 0.0), (board.width, board.height), (0.0, board.height))
    found: list[Part] = []
    for x, y in corners:
        left = [part for part in board.parts if part.placed and part not in found]
        if left:
            found.append(min(left, key=lambda p: (p.x - x) ** 2 + (p.y - y) ** 2))
    return tuple(found)


def outline_on_photo(alignment: Alignment, part: Part) -> tuple[Point, ...]:
    """The four corners of a part's body as the photo shows them (pixel)."""
    width, height = body_size(part)
    corners = ((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5))
    return tuple(alignment.on_photo(part.x + dx * width, part.y + dy * height) for dx, dy in corners)
