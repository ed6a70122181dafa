"""Open jobs for tests."""

from loyal_trace.app.job import OpenJob, new_id


def demo_job(store, build, bench, job):
    """One job of the demo workshop, made in a store and opened."""
    build(store, bench, new_id)
    return OpenJob(store, job)


def outcome(job):
    """What a job has come to, whichever way it was worked: parts, steps, verdicts, starts and checks."""
    found, parts = job.assessment(), job.snapshot.parts
    return {
        "fitted": {place: (entry.number, entry.origin or "ordered") for place, entry in parts.fitted.items()},
        "done": {step.id for step in found.plan.steps if step.done},
        "open": {step.id for step in found.plan.steps if not step.done},
        "roms": {place: slot.word for place, slot in found.roms.items()},
        "chips": {place: verdict.word for place, verdict in found.chips.items()},
        "capacitors": {place: verdict.verdict for place, verdict in found.capacitors.items()},
        "rails": {(b, p.point.point, p.point.quantity): p.verdict for b, r in found.rails.items() for p in r.points},
        "starts": (found.proof.starts.clean, found.proof.starts.failed),
        "items": {item.name: item.status for item in found.proof.items},
    }
