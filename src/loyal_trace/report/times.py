"""Times as people read them: local, with their zone."""

from datetime import datetime, tzinfo

from loyal_trace.core.vocabulary.phrases import say


def local_time(moment: datetime, zone: tzinfo | None = None) -> str:
    """`2026-11-26 19:35 CET`; the zone of the machine unless another is given."""
    here = moment.astimezone(zone)
    return say("{here:%Y-%m-%d %H:%M} {tzname}", here=here, tzname=here.tzname())
