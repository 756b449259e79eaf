"""What a plate leaves open, as a range: closing angle, inertia and load of the same start."""

from functools import lru_cache

from orange_crank.core.motor.assemble import EQUAL_START_PCT
from orange_crank.core.motor.entry import Load, StartIn
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.start import Span, StartResult, StartSpread, compute_start
from orange_crank.core.tables.standards import Standards, shipped_standards

# Where on the wave the contactor closes; half a cycle later is the same start upside down.
ANGLES_DEG = (0.0, 45.0, 90.0, 135.0)
# Around the typical inertia and the torque at standstill taken: about what one plate covers. The lightest
# load goes with the lightest rotor, the heaviest with the heaviest.
AROUND = ((0.6, 1.0), (1.0, 1.0), (1.8, 1.0), (0.6, 0.5), (1.8, 1.5))  # inertia, load
# Long enough to see whether it gets away.
LONGEST_S = 1.5


def start_spread(entry: StartIn, standards: Standards | None = None) -> StartSpread:
    """Compute a start over closing angle, inertia and load, and return the range of its figures.

    Raises
    ------
    InputProblem : as of the start itself

    """
    limits = standards or shipped_standards()
    base = entry.model_copy(
        update={
            "series": False,
            "trace": False,
            "energy": False,
            "spread": False,
            "duration_s": min(entry.duration_s, LONGEST_S),
        }
    )
    found: list[StartResult] = []
    for inertia, share in AROUND:
        load = entry.load if entry.plate is None and share == 1.0 else _share_of(entry.load, share)
        for angle in ANGLES_DEG if share == 1.0 else ANGLES_DEG[::2]:
            one = base.model_copy(
                update={
                    "load": load,
                    "inertia_factor": entry.inertia_factor * inertia,
                    "closing_angle_deg": angle,
                }
            )
            found.append(compute_start(one, limits))
    times = [f.time_to_speed_s for f in found if f.time_to_speed_s is not None]
    return StartSpread(
        inrush_a=_span([f.meter.inrush or f.inrush_100ms_a for f in found]),
        max_cycle_a=_span([f.max_cycle_rms_a for f in found]),
        sag_pct=_span([f.sag_pct for f in found]),
        time_to_speed_s=_span(times) if times else None,
        starts=len(times),
        of=len(found),
    )


def _share_of(load: Load, share: float) -> Load:
    if load.start_torque_nm is not None:
        return load.model_copy(update={"start_torque_nm": load.start_torque_nm * share})
    pct = EQUAL_START_PCT if load.start_torque_pct is None else load.start_torque_pct
    return load.model_copy(update={"start_torque_pct": pct * share})


def _span(values: list[float]) -> Span:
    return Span(low=min(values), high=max(values))


def sound_bare_start(plate: StartPlate) -> StartSpread:
    """Return what a sound machine of this plate does without an aid, pressures equal.

    Raises
    ------
    InputProblem : the plate is none of a single-phase machine

    """
    return _sound(plate.model_dump_json())


@lru_cache(maxsize=256)
def _sound(plate_json: str) -> StartSpread:
    plate = StartPlate.model_validate_json(plate_json)
    return start_spread(StartIn(plate=plate, load=Load(start_torque_pct=12.0, run_torque_pct=80.0)))
