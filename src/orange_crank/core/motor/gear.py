"""What starts a single-phase compressor, by its nameplate: run capacitor, current relay or thermistor."""

from orange_crank.core.plate.model import PlateRead, Starting

# Small refrigeration up to this size has a start relay and no run capacitor [hp].
MOST_HP = 1.0
# Reactance of a start capacitor over V ÷ LRA: 189–227 µF on 20 A, 378–440 µF on 38 A, at 115 V.
START_REACTANCE = 2.3
# Cold ohms of a motor's own start thermistor over V ÷ RLA: 5 to 25 Ω in small refrigeration.
OWN_PTC = 0.12


def starting_of(plate: PlateRead) -> Starting:
    """Return what starts the compressor: as entered, else by its size and capacitors.

    Notes
    -----
    A nameplate with a run capacitor has one, whatever else is entered. Without an entry: a small one or a
    capillary tube without has a current relay; a larger one without is taken to have a run capacitor that
    was not read.

    """
    if plate.run_cap_uf is not None:
        return "run_capacitor"
    if plate.starting is not None:
        return plate.starting
    small = plate.hp is not None and plate.hp <= MOST_HP
    if small or plate.metering == "captube":
        return "current_relay"
    return "run_capacitor"


def own_start_uf(volts: float, lra_a: float, hertz: float) -> float:
    """Return an ordinary start capacitor for a capacitor-start motor of this size [µF].

    >>> round(own_start_uf(115.0, 20.0, 60.0)), round(own_start_uf(115.0, 38.0, 60.0))
    (201, 381)
    """
    return 1e6 * lra_a / (6.2832 * hertz * START_REACTANCE * volts)


def own_ptc_ohm(volts: float, rla_a: float) -> float:
    """Return ordinary cold ohms of a motor's own start thermistor [Ω]."""
    return OWN_PTC * volts / rla_a
