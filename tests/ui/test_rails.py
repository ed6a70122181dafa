"""The Rails stage on Hollin 3: three supplies, walked with one key, each fault named."""

import pytest

from loyal_trace.core.vocabulary.stages import Stage


@pytest.fixture
def hollin(window):
    """The demo window with Hollin 3 open at Rails, the caution signed."""
    window.ours.show_jobs()
    window.open_job("Hollin")
    window.stage(Stage.RAILS)
    window.press("Sign the caution")
    window.press("Next point")
    return window


def read_on(hollin, place):
    """Reads with the meter until a place is in hand; past the wrong fuse by the person's own decision."""
    for _ in range(40):
        if hollin.place == place:
            return
        before = hollin.wiring.presenter.setting().asked
        hollin.press("Go on anyway" if "Go on anyway" in hollin.buttons() else "Read the meter")
        if before == hollin.wiring.presenter.setting().asked:
            hollin.press("Next point")
    raise AssertionError(f"{place} was never asked for, {hollin.place} is")


def test_the_open_diode_is_found_with_the_meter_key_in_under_ten_readings(hollin):
    before = len(hollin.on_disk())
    for _ in range(9):
        hollin.press("Read the meter")
        if "diode 3 is open" in hollin.why:
            break
    assert len(hollin.on_disk()) - before == 5 and "BR1.2 before it is good" in hollin.why
    assert "Replace BR1; the step is at Plan (Ctrl+7)" in hollin.next
    read_on(hollin, "4F.20")
    told = " ".join(hollin.row_texts("supply limits and blocks"))
    assert "REG1 drops out in every cycle because of its input" in told and "C1 is in order" in told


def test_each_supply_is_a_chain_of_its_own_and_n_goes_to_the_next(hollin):
    ripple = hollin.figure("ripple on the reservoir")
    assert ripple.isHidden(), "nothing to compare before voltage and ripple are measured"
    names = []
    for _ in range(4):
        names.append(hollin.place)
        hollin.press("Next supply")
    assert names == ["F1", "F3", "F2", "3E.1"], "what is taken with the power off comes first"
    assert hollin.place == "F1"
    supplies = hollin.row_texts("supply limits and blocks")[1:5]
    assert [row.split()[0] for row in supplies] == ["+5", "+12", "+24", "lamp"]


def test_typed_readings_find_the_missing_and_the_wrong_fuse(hollin):
    hollin.press("Next supply")
    for reading in ("0.1", "2A fast"):
        hollin.type(reading)
    assert hollin.last.note == "fast where the board wants slow", "the speed is read off the cap as well"
    assert "F3 is a 2.00 A fuse where the board needs 0.5 A" in hollin.why
    assert "same rating" in hollin.next and hollin.on_disk()[-2].quantity == "rating"
    hollin.press("Next supply")
    hollin.press("Enter OL")
    assert "F2 is blown or missing" in hollin.why and hollin.last.overload
    assert hollin.probability("hl-main", "F2") > 0.5 and hollin.probability("hl-main", "F3") > 0.5


def test_the_ripple_is_drawn_against_what_a_healthy_reservoir_would_show(hollin):
    view = hollin.figure("ripple on the reservoir")
    read_on(hollin, "REG1.3")
    assert view.isVisible() and "expected 2.55 V at 100 Hz, measured 5.3" in view.accessibleDescription()
    assert view.accessibleDescription().endswith("at 50 Hz, the regulator needs 7.00 V")
    image = view.grab().toImage()
    colours = {
        image.pixelColor(x, y).name() for x in range(60, image.width() - 20, 2) for y in range(20, image.height(), 2)
    }
    assert {"#a0541a", "#2c7554"} <= colours, "both lines are there"


def test_undo_takes_the_reading_and_what_followed_from_it_back(hollin):
    hollin.press("Next supply", "Next supply")
    hollin.press("Enter OL")
    assert "F2 is blown or missing" in hollin.why
    hollin.ctrl("z")
    assert "F2" not in hollin.why and hollin.probability("hl-main", "F2") < 0.2
