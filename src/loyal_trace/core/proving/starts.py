"""Start statistics: what n clean starts prove about a failure rate, and how many more are needed."""

import math
from dataclasses import dataclass

from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say

WORTH_TELLING = 0.8


def failure_rate_upper(clean: int, failed: int = 0, confidence: float = 0.95) -> float:
    """Upper bound of the failure rate at a confidence, one-sided.

    With no failures in n starts `1 − (1 − confidence)^(1/n)`, about 3/n at 95 %; else the Clopper–Pearson bound
    (Clopper & Pearson 1934), the beta quantile with k+1 and n−k. 1.0 when nothing was tried.
    """
    if clean < 0 or failed < 0 or not 0 < confidence < 1:
        raise RequestError(say("counts of starts cannot be negative, and a confidence lies between 0 and 100 %"))
    if clean == 0:
        return 1.0
    if failed == 0:
        return float(-math.expm1(math.log1p(-confidence) / clean))
    from scipy.special import betaincinv

    return float(betaincinv(failed + 1, clean, confidence))


def starts_needed(target: float, failed: int = 0, confidence: float = 0.95) -> int:
    """Clean starts in all that bring the upper bound down to `target`; RequestError outside 0 < target < 1."""
    if not 0 < target < 1:
        raise RequestError(say("a target failure rate lies between 0 and 100 %"))
    if failed == 0:
        estimate = math.log1p(-confidence) / math.log1p(-target)
        needed = max(1, math.ceil(estimate - 1e-9))
        while failure_rate_upper(needed, 0, confidence) > target * (1 + 1e-12):
            needed += 1
        return needed
    low, high = 1, 2
    while failure_rate_upper(high, failed, confidence) > target:
        low, high = high, high * 2
    while low < high:
        middle = (low + high) // 2
        if failure_rate_upper(middle, failed, confidence) > target:
            low = middle + 1
        else:
            high = middle
    return low


def improvement_p_value(clean_before: int, failed_before: int, clean_after: int, failed_after: int) -> float:
    """Probability that a difference this good comes by chance alone (one-sided exact test of Fisher, 1922)."""
    from scipy.stats import hypergeom

    total = clean_before + failed_before + clean_after + failed_after
    failures, after = failed_before + failed_after, clean_after + failed_after
    if not total or not failures or not after:
        return 1.0
    return float(hypergeom.cdf(failed_after, total, failures, after))


@dataclass(frozen=True)
class StartTally:
    """Starts since the last repair, before it, and what they prove."""

    clean: int
    failed: int
    clean_before: int
    failed_before: int
    target: float = 0.05
    confidence: float = 0.95

    @property
    def upper(self) -> float:
        return failure_rate_upper(self.clean, self.failed, self.confidence)

    @property
    def tells(self) -> bool:
        """Do the starts bound the failure rate at all? A bound near 100 % holds for any board and says nothing."""
        return self.upper <= WORTH_TELLING

    @property
    def still_needed(self) -> int:
        """Clean starts still needed for the target, if no more fail."""
        return max(0, starts_needed(self.target, self.failed, self.confidence) - self.clean)

    @property
    def chance(self) -> float:
        """How easily chance alone would explain that it got better."""
        return improvement_p_value(self.clean_before, self.failed_before, self.clean, self.failed)
