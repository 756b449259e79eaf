"""Fan amps against the fan's own full-load amps."""

from orange_crank.core.measure.taken import ReadingVerdict, TakenReading
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Verdict, say
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import Standards


def judge_fan_reading(reading: TakenReading, plate: Plate, limits: Standards) -> ReadingVerdict:
    """Judge fan amps against the first motor of the plate.

    Notes
    -----
    Full-load amps are the motor's own figure: up to them passes, a tenth above fails.

    """
    amps = reading.figure
    if not plate.motors or amps is None:
        return ReadingVerdict(
            code="noted", verdict="note", summary=msg("No fan on the nameplate"), findings=[]
        )
    fla = plate.motors[0].fla_a
    ratio = amps / fla
    over = ratio > limits.running_fail_ratio
    verdict: Verdict = "fail" if over else "watch" if ratio > 1 + 1e-9 else "pass"
    finding = Finding(
        code="FAN_AMPS",
        verdict=verdict,
        text=msg("Within its full-load amps.") if verdict == "pass" else msg("Above its full-load amps."),
        rule=limits.rule("running_fail_ratio"),
        inputs={"fan_a": amps, "fla_a": fla},
        arithmetic=f"{amps:g} A ÷ {fla:g} A = {ratio:.2f}",
        next_step=None
        if verdict == "pass"
        else msg("Blade, bearings and fan capacitor: look at them with power off."),
    )
    return ReadingVerdict(
        code="fan", verdict=verdict, summary=msg("{ratio} × FLA", ratio=say(ratio, "", 3)), findings=[finding]
    )
