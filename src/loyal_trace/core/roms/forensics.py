"""What kind of wrong is this image? Against the true one, or from its own structure alone."""

from collections.abc import Mapping

import numpy as np

from loyal_trace.core.roms.against import against_other_size, against_truth
from loyal_trace.core.roms.hypotheses import (
    NO_DEVICE,
    Hypothesis,
    PinNames,
    address_lines,
    blank_image,
    rank,
    stuck_address,
    stuck_data,
    unknown,
)


def examine(
    data: bytes, truth: bytes | None, names: PinNames | None = None, others: Mapping[str, bytes] | None = None
) -> tuple[Hypothesis, ...]:
    """Ranked explanations of an image that differs from what is expected.

    `truth` makes the sums exact, `others` are the images of other slots by name; without a true image only the image's
    own structure speaks.
    """
    names = names or NO_DEVICE
    image = np.frombuffer(data, dtype=np.uint8)
    if truth is not None and len(truth) == len(data) and len(data):
        ranked = against_truth(image, np.frombuffer(truth, dtype=np.uint8), names)
        if ranked[0].kind != "unknown":
            return ranked
        inside = _from_inside(image, names)  # several lines at once still show in the image's own structure
        return inside if inside[0].verdict != "unknown" else ranked
    if truth is not None and len(data) and truth:
        sized = against_other_size(data, truth, others)
        if sized:
            return sized
    return _from_inside(image, names)


def _from_inside(image: np.ndarray, names: PinNames) -> tuple[Hypothesis, ...]:
    """Internal evidence only: constant bit lanes, repeating blocks, blank."""
    if not len(image):
        return rank([unknown(image, "the image is empty")])
    blank = blank_image(image)
    if blank:
        return rank([blank])
    nothing = unknown(image, "no line is constant and no block repeats")
    found = [nothing]
    ones = np.array([int((image >> line & 1).sum()) for line in range(8)])
    for line in range(8):
        if ones[line] in (0, len(image)):
            level = int(ones[line] > 0)
            evidence = f"D{line} is {level} in all {len(image):,} bytes"
            found.append(stuck_data(line, level, names, evidence, _steady_lane_cost(image, line)))
    for line in range(address_lines(image)):
        half = image.reshape(-1, 2, 1 << line)
        if np.array_equal(half[:, 0], half[:, 1]) and not _repeats_below(image, line):
            evidence = f"every byte equals the one {1 << line:,} further on"
            found.append(stuck_address(line, "open or stuck", names, evidence, 0.0))
    lines_found = [h for h in found if h is not nothing]
    if lines_found:
        return tuple(h for h in rank(found) if h.likelihood > 1e-6)
    return (Hypothesis(**{**nothing.__dict__, "likelihood": 1.0}),)


def _steady_lane_cost(image: np.ndarray, line: int) -> float:
    """Text keeps its upper bits steady by nature: in plain text a steady D5, D6 or D7 explains nothing."""
    printable = np.count_nonzero((image >= 0x20) & (image < 0x7F)) / len(image)
    return 6.0 * len(image) if line >= 5 and printable > 0.95 else 0.0


def _repeats_below(image: np.ndarray, line: int) -> bool:
    """A constant or short-period image repeats at every distance: that is no line fault."""
    period = image[: 1 << min(line, 3)]
    return bool(np.array_equal(np.resize(period, len(image)), image))
