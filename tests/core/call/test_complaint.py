"""What a complaint tells of is offered as symptoms; a hum that ends in a start is a slow start."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.call.complaint import symptoms_in
from orange_crank.core.diagnosis.model import SYMPTOM_WORDS

SAID = {
    "Hums, lights go dim, then it starts. Twice it tripped the breaker.": ["slow_start", "lights_dim"],
    "Outside unit hums and will not start": ["hums_no_start"],
    "Just the fan spins": ["fan_only"],
    "Breaker trips right away": ["trips_at_once"],
    "Trips after ten minutes": ["trips_after_minutes"],
    "Nothing happens when it is called": ["controls_on_nothing_runs"],
    "It only starts sometimes and chatters": ["starts_rarely", "rattles"],
    "Starts slow": ["slow_start"],
    "Won't run on the generator": ["will_not_run_on_backup"],
    "Wants a soft start": ["upgrade_only"],
    "Noise": [],
    "": [],
    "The humidifier leaks": [],
}


@pytest.mark.parametrize("complaint", SAID)
def test_a_customers_words_are_read_as_symptoms(complaint: str) -> None:
    assert SAID[complaint] == symptoms_in(complaint)
    assert SAID[complaint] == symptoms_in(complaint.upper())


@given(st.text(max_size=400))
def test_any_words_give_known_symptoms_each_once_and_never_a_stuck_start_that_starts(text: str) -> None:
    found = symptoms_in(text)
    assert len(found) == len(set(found))
    assert set(found) <= set(SYMPTOM_WORDS)
    assert not {"hums_no_start", "slow_start"} <= set(symptoms_in(text + " hums, starts late"))
