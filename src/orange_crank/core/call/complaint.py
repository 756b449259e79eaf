"""What a complaint already says: symptoms in a customer's own words, offered on Why and not asked again."""

import re

from orange_crank.core.diagnosis.model import Symptom

# Each in the order it is looked for; what a later pattern says better takes the earlier one's place.
_SAID: tuple[tuple[str, Symptom], ...] = (
    (r"\bhum(s|ming|med)?\b", "hums_no_start"),
    (r"(starts?|turns? on) (slow|late)|slow(ly)? (to )?start|takes (long|a while)|struggles", "slow_start"),
    (r"trip\w* (at once|right away|immediately|instantly|as soon)", "trips_at_once"),
    (r"trip\w* (after|in|within) .*min|trip\w* .*(after a while|later)", "trips_after_minutes"),
    (r"only the fan|fan (runs|spins)\b(?!.*compressor runs)|just the fan", "fan_only"),
    (r"nothing (runs|happens|starts)|won'?t come on|does(n'?t| not) come on", "controls_on_nothing_runs"),
    (r"no sound|silent|stone dead", "no_sound"),
    (r"sometimes|now and then|intermittent|off and on", "starts_rarely"),
    (r"after (a )?(long )?rest|once it has rested|in the morning only", "starts_after_long_rest"),
    (r"lights? (go |going )?dim|lights? flicker|dims", "lights_dim"),
    (r"contactor \w*\s?(hum|buzz|chatter)|(hum|buzz)\w* (at|from|in) the contactor", "contactor_hums"),
    (r"rattl|chatter|buzz", "rattles"),
    (r"short.?cycl|on and off", "short_cycles"),
    (r"runs? hot|overheat", "runs_hot"),
    (r"generator|backup|battery", "will_not_run_on_backup"),
    (r"upgrade|wants a (soft|hard) start", "upgrade_only"),
)
# It hums and then starts: slow, not stuck.
_STARTS_IN_THE_END = re.compile(
    r"then (it )?(starts|runs|goes)|starts? late|starts? slow|slow(ly)? (to )?start"
)


def symptoms_in(complaint: str) -> list[Symptom]:
    """Return the symptoms a complaint tells of, in the order of the list.

    >>> symptoms_in("Hums, lights go dim, then it starts.")
    ['slow_start', 'lights_dim']
    >>> symptoms_in("Noise")
    []
    """
    text = " ".join(complaint.lower().split())
    found = [symptom for pattern, symptom in _SAID if re.search(pattern, text)]
    if "contactor_hums" in found:
        # What hums is the contactor: nothing is said of the compressor.
        found = [s for s in found if s not in ("hums_no_start", "rattles")]
    if "hums_no_start" in found and _STARTS_IN_THE_END.search(text):
        found = [s for s in found if s != "hums_no_start"]
        if "slow_start" not in found:
            found.insert(0, "slow_start")
    return found
