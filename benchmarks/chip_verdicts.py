"""Chip verdicts against a search for waveforms: none of what a healthy chip shows is ever called impossible."""

import re
import time
import zlib

import numpy as np
from tests.helpers.waveforms import read_healthy

from benchmarks.measure import Figure
from loyal_trace.core.probing.check import check_chip
from loyal_trace.core.vocabulary.verdicts import OutputWord
from loyal_trace.resources import chip_library

_VERDICTS = 100_000


def run() -> list[Figure]:
    """Every type with a model, until so many outputs were judged."""
    library = chip_library()
    names = [re.sub(r"^74(?=\d)", "74LS", name) for name in library.type_names]
    chips = [chip for chip in map(library.find, names) if chip.outputs]
    dice = {chip.name: np.random.default_rng(zlib.crc32(chip.name.encode())) for chip in chips}
    judged = wrong = 0
    spent = 0.0
    while judged < _VERDICTS:
        for chip in chips:
            readings = read_healthy(chip, dice[chip.name])
            if readings is None:
                continue
            start = time.perf_counter()
            outputs = check_chip(chip, readings).outputs
            spent += time.perf_counter() - start
            judged += sum(output.verdict is not OutputWord.NOT_PROBED for output in outputs)
            wrong += sum(output.verdict is OutputWord.IMPOSSIBLE for output in outputs)
    about = f"of {judged} verdicts over {len(chips)} types, {spent / judged * 1e3:.1f} ms each"
    return [Figure("chip verdicts falsely impossible", float(wrong), 0.0, "", True, about)]
