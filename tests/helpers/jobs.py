"""Open jobs for tests."""

from loyal_trace.app.job import OpenJob, new_id


def demo_job(store, build, bench, job):
    """One job of the demo workshop, made in a store and opened."""
    build(store, bench, new_id)
    return OpenJob(store, job)
