"""What kind of wrong is this image? Against the true one, or from its own structure alone."""

from collections.abc import Mapping

import numpy as np

from loyal_trace.core.roms.against import against_other_size, against_reference
from loyal_trace.core.roms.hypotheses import NO_DEVICE, Hypothesis, PinNames
from loyal_trace.core.roms.inside import from_inside


def examine(
    data: bytes, reference: bytes | None, names: PinNames | None = None, others: Mapping[str, bytes] | None = None
) -> tuple[Hypothesis, ...]:
    """Ranked explanations of an image that differs from what is expected.

    `truth` makes the sums exact, `others` are the images of other slots by name; without a true image only the image's
    own structure speaks.
    """
    names = names or NO_DEVICE
    image = np.frombuffer(data, dtype=np.uint8)
    if reference is not None and len(reference) == len(data) and len(data):
        return against_reference(image, np.frombuffer(reference, dtype=np.uint8), names)
    if reference is not None and len(data) and reference:
        sized = against_other_size(data, reference, others, names)
        if sized:
            return sized
    return from_inside(image, names)
