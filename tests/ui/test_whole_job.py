"""The whole Tidewrack job walked by keyboard in the real window, from where work left off to the report on disk."""

from loyal_trace.demo.workshop import demo_bench


def test_from_the_missing_plane_to_the_printed_report(window):
    # Probe: every pin of 5D from the probe, then the line to ground.
    window.keys("A")
    assert "Pin 13 (QH) is low" in window.why and "(G)" in window.next
    window.keys("G")
    assert window.on_disk()[-1].place == "5D.13" and window.on_disk()[-1].quantity == "resistance"
    assert window.belief("tw-vid", "5D") > 0.9

    # Suspects: the next thing is a capacitor; the key 1 leads there; M measures and goes on by itself.
    window.stage(6)
    window.keys("1")
    assert window.ours.wiring.current == 6
    for _ in range(7):
        window.keys("M")
    assert window.desk.assessment().capacitors[("tw-cpu", "C12")].verdict == "bad"
    assert window.desk.assessment().capacitors[("tw-cpu", "C13")].verdict == "good"

    # Work: step after step with Enter; the first spare of 5D turns out bad and the second is taken.
    window.stage(8)
    for _ in range(12):
        open_steps = [s for s in window.desk.assessment().plan.steps if not s.done]
        if not open_steps:
            break
        window.keys("Enter")
        _look_again(window)
    done = [e for e in window.on_disk() if e.kind == "fitted"]
    assert [e.origin for e in done if e.place == "5D"] == ["drawer 3", "drawer 7"], "the bad spare was found out"
    assert {"6C", "6F", "6D", "C1", "C12", "5D"} <= {e.place for e in done}
    assert all(slot.word == "matches" for slot in window.desk.assessment().roms.values())

    # Prove: starts from the bench until the target is shown, then the checklist.
    window.stage(9)
    for _ in range(59):
        window.keys("B")
    assert window.desk.assessment().proof.starts.still_needed == 0 and "at most 5 % of starts fail" in window.why
    for item in window.desk.assessment().proof.items:
        window.keys("Down" if item.status == "not testable" else "Y")
    assert all(i.status in ("passed", "not testable") for i in window.desk.assessment().proof.items)

    # Hand back: both reports on disk.
    window.stage(10)
    window.keys("P", "M", "B")
    folder = window.desk.job.store.folder / "reports"
    assert (folder / "gp-0147.pdf").read_bytes().startswith(b"%PDF")
    page = (folder / "gp-0147.html").read_text()
    assert (
        "drawer 7" in page
        and "switch inputs: this bench has no harness" in page
        and "100n" not in page.split("Advice")[0]
    )
    assert window.on_disk()[-1].kind == "handed_back"


def _look_again(window):
    """After a step: read or probe what was changed, as the step says."""
    last = next(e for e in reversed(window.desk.job.entries) if e.kind == "fitted")
    place = (last.board, last.place)
    window.desk.pick(*place)
    if place in window.desk.assessment().roms:
        window.stage(4)
        window.keys("T")
        window.wait_idle()
    elif last.place == "5D":
        window.stage(5)
        window.keys("A")
    window.stage(8)


def test_the_demo_never_shows_what_only_the_bench_knows(window):
    """The hidden faults are nowhere in the job: not in its entries, not in its boards."""
    words = " ".join(entry.model_dump_json() for entry in window.desk.job.entries)
    assert "pin-open" not in words and "worn-socket" not in words
    assert demo_bench()._faults and not hasattr(window.desk.job, "_faults")
