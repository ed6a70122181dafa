"""Settings of a job: what they can be, what a line refuses, and what becomes of a job that holds what none can be."""

import pytest

from loyal_trace.core.assess.assessment import Assessment
from loyal_trace.core.job.entries import Decided
from loyal_trace.core.job.settings import allowed, failure_target, meant, settings
from loyal_trace.core.vocabulary.errors import RequestError
from tests.helpers.builders import made, moment_of
from tests.helpers.ledger import all_said_of
from tests.helpers.lines import read, recorded

NONSENSE = ("xyz", "", "-1", "nan", "1e999", "strict best", "9" * 40)


@pytest.mark.parametrize("name", sorted(settings()))
def test_a_setting_that_cannot_be_counts_as_not_decided_and_stops_nothing(name):
    for choice in NONSENSE:
        entry = made(Decided, what=name, choice=choice)
        moment = moment_of(entries=[entry])
        assert moment.snapshot.decision(name, "usual") == (choice if allowed(name, choice) else "usual")
        assert list(all_said_of(Assessment(moment)))


@pytest.mark.parametrize("name", sorted(name for name, one in settings().items() if one.choices))
def test_every_choice_can_be_said_in_any_letters_and_nothing_else(name):
    for choice in settings()[name].choices:
        assert [f["choice"] for _, f in recorded(f"decide {name.upper()}: {choice.upper()}")] == [choice]
    found = read(f"decide {name}: whatever")
    assert (found.status, found.message.id) == ("refused", "setting-choice")


def test_numbers_are_settings_only_within_what_they_can_be():
    for line, good in {
        "failure rate target: 10 %": True, "failure rate target: 0.1": True, "failure rate target: 2": False, "failure rate target: 0": False,
        "signature window: 65536": True, "signature window: 1048576": True, "signature window: 1048577": False, "signature window: 0": False,
        "leak reach: 35 mm": True, "leak reach: far": False, "leak reach: 1000": False, "lamp: 12m": True, "lamp: 0": False,
        "processor clock: 4MHz": True, "processor clock: 0": False, "register: CRC16-ARC": True, "register: 0x12345": False,
        "symbols: 0123456789ABCDEF": True, "symbols: 01": False, "hour rate: 40,50": True, "hour rate: nan": False, "value: 0": True,
    }.items():  # fmt: skip
        assert read(f"decide {line}").status == ("recorded" if good else "refused"), line
    assert (failure_target("10 %"), failure_target("0.2"), failure_target("")) == (0.1, 0.2, 0.05)
    with pytest.raises((RequestError, ValueError)):
        failure_target("100 %")


def test_a_slip_in_a_long_name_is_asked_about_and_other_decisions_are_words():
    assert (meant("suply limits"), meant("supply limits"), meant("lamps"), meant("volume pot")) == (
        "supply limits",
        None,
        None,
        None,
    )
    assert read("decide suply limits: strict").message.facts["instead"] == "supply limits"
    assert recorded("decide volume pot: leave it")[0][1]["choice"] == "leave it"
