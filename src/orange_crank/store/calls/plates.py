"""A plate read on a call."""

from orange_crank.core.call.gates import require
from orange_crank.core.plate import Plate
from orange_crank.store.calls.journal import write_on
from orange_crank.store.calls.record import read_call
from orange_crank.store.calls.view import CallOut, get_call
from orange_crank.store.database import transaction
from orange_crank.store.units import save_plate


def save_plate_on_call(call_id: int, plate: Plate, base_number: int, person_id: int) -> CallOut:
    """Save the unit's plate as its next version.

    Raises
    ------
    GateClosed : the call is closed
    InputProblem : a number no plate can carry
    Conflict : a person saved a newer version meanwhile

    """
    with transaction():
        journal = write_on(call_id)
        require(read_call(call_id, journal.moment).judged.gates["save_plate"])
        save_plate(journal.call.unit_id, plate, base_number, person_id, call_id, journal.moment)
        return get_call(call_id)
